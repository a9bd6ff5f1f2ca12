//! The build form of a table.
//!
//! A large table has a hundred thousand routes, most of which have a name, a path and a page, or a redirect. Other keys are behind one pointer,
//! which is empty until one of them is set:
//!
//! ```text
//! RouteSpec { name, path, page, params, redirect, routes, extras ─→ nothing, or { needs, methods, data, … } }
//! ```

use std::ops::{Deref, DerefMut};
use std::sync::Arc;

use smol_str::SmolStr;

use super::data::Data;
use super::finding::Report;
use super::format::Format;
use super::redirect::{Need, RedirectTo};
use super::rule::Rule;
use super::site::SiteSpec;
use super::source::Placed;

/// The declaration of a table, before it is built.
///
/// It reads like the table file; everything that is wrong with it is reported by
/// [`build`](Self::build), all at once.
///
/// # Example
/// ```
/// use vivid_lane::{RouteSpec, Rule, TableSpec};
///
/// let table = TableSpec::new()
///     .fallback("lost")
///     .param("date", Rule::format("date"))
///     .route(RouteSpec::new("home").path("/").page("home"))
///     .route(
///         RouteSpec::new("nights").path("/nights").page("night-list").frame("with-calendar")
///             .route(RouteSpec::new("night").path("/{date}").page("night")),
///     )
///     .build()?;
/// assert_eq!(table.find("/nights/2031-04-02").unwrap().page(), "night");
/// assert!(table.find("/nights/2031-02-30").is_none());
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct TableSpec {
    pub(crate) report: Report,
    pub(crate) site: SiteSpec,
    pub(crate) needs: Vec<Need>,
    pub(crate) params: Vec<(Placed<SmolStr>, Rule)>,
    pub(crate) lists: Vec<Placed<SmolStr>>,
    pub(crate) formats: Vec<Format>,
    pub(crate) routes: Vec<RouteSpec>,
}

/// The declaration of a route.
///
/// A route without a page only groups its children. See [`TableSpec`] for an example.
#[derive(Debug, Clone, Default)]
pub struct RouteSpec {
    pub(crate) name: Placed<SmolStr>,
    pub(crate) path: Option<Placed<SmolStr>>,
    pub(crate) page: Option<Placed<SmolStr>>,
    pub(crate) params: Vec<(Placed<SmolStr>, Rule)>,
    pub(crate) redirect: Option<Arc<RedirectTo>>,
    pub(crate) routes: Vec<RouteSpec>,
    pub(crate) extras: Extras,
    /// Whether something about the route could not be read. Then what follows from its absence is not reported as well.
    pub(crate) damaged: bool,
}

/// The keys of a route that few have. It reads like [`ExtraKeys`], and takes room for them when it is written to.
#[derive(Debug, Clone, Default)]
pub(crate) struct Extras(Option<Box<ExtraKeys>>);

/// The keys, with nothing where a route has none.
#[derive(Debug, Clone, Default)]
pub(crate) struct ExtraKeys {
    pub(crate) frame: Option<Placed<SmolStr>>,
    pub(crate) fallback: Option<Placed<SmolStr>>,
    /// Whether there is no page for what is missing under the route, whatever an ancestor or the site says.
    pub(crate) no_fallback: bool,
    pub(crate) required: Vec<Placed<SmolStr>>,
    pub(crate) methods: Vec<Placed<SmolStr>>,
    pub(crate) host: Option<Placed<SmolStr>>,
    pub(crate) needs: Vec<Placed<SmolStr>>,
    pub(crate) priority: i64,
    pub(crate) data: Data,
    pub(crate) mounted: Vec<TableSpec>,
}

static NONE: ExtraKeys = ExtraKeys {
    frame: None,
    fallback: None,
    no_fallback: false,
    required: Vec::new(),
    methods: Vec::new(),
    host: None,
    needs: Vec::new(),
    priority: 0,
    data: Data::Table(Vec::new()),
    mounted: Vec::new(),
};

impl Deref for Extras {
    type Target = ExtraKeys;

    fn deref(&self) -> &ExtraKeys {
        self.0.as_deref().unwrap_or(&NONE)
    }
}

impl DerefMut for Extras {
    fn deref_mut(&mut self) -> &mut ExtraKeys {
        self.0.get_or_insert_default()
    }
}

impl TableSpec {
    /// An empty declaration, without routes.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Declares a condition that visitors must meet.
    #[must_use]
    pub fn need(mut self, need: Need) -> Self {
        self.needs.push(need);
        self
    }

    /// Sets the rule for every parameter of that name that has no nearer rule.
    #[must_use]
    pub fn param(mut self, name: impl Into<String>, rule: Rule) -> Self {
        self.params.push((name.into().into(), rule));
        self
    }

    /// Declares a live list.
    #[must_use]
    pub fn list(mut self, name: impl Into<String>) -> Self {
        self.lists.push(name.into().into());
        self
    }

    /// Registers a format, which rules can then name.
    #[must_use]
    pub fn format(mut self, format: Format) -> Self {
        self.formats.push(format);
        self
    }

    /// Adds a route.
    #[must_use]
    pub fn route(mut self, route: RouteSpec) -> Self {
        self.routes.push(route);
        self
    }
}

impl RouteSpec {
    /// A route with a name. The full name of a child begins with that of its parent: `nights.night`.
    pub fn new(name: impl Into<String>) -> Self {
        Self { name: name.into().into(), ..Self::default() }
    }

    /// Sets the path, a URI Template (RFC 6570), which is appended to the path of the parent.
    #[must_use]
    pub fn path(mut self, path: impl Into<String>) -> Self {
        self.path = Some(path.into().into());
        self
    }

    /// Sets the page that the route shows.
    #[must_use]
    pub fn page(mut self, page: impl Into<String>) -> Self {
        self.page = Some(page.into().into());
        self
    }

    /// Sets a frame around the pages of the route and its descendants.
    #[must_use]
    pub fn frame(mut self, frame: impl Into<String>) -> Self {
        self.extras.frame = Some(frame.into().into());
        self
    }

    /// Sets the page for URLs under this route that no route answers.
    #[must_use]
    pub fn fallback(mut self, page: impl Into<String>) -> Self {
        self.extras.fallback = Some(page.into().into());
        self.extras.no_fallback = false;
        self
    }

    /// Shows no fallback page under this route, whatever an ancestor or the site says. Use it for an API, for example,
    /// whose errors are not pages.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Decision, Request, RouteSpec, TableSpec};
    ///
    /// let api = RouteSpec::new("api").path("/api").no_fallback();
    /// let api = api.route(RouteSpec::new("domes").path("/domes").page("domes"));
    /// let table = TableSpec::new().fallback("lost").route(api).build()?;
    /// let Decision::NotFound(missing) = table.decide(&Request::get("/api/dmes")) else { panic!() };
    /// assert_eq!(missing.fallback(), None);
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn no_fallback(mut self) -> Self {
        self.extras.fallback = None;
        self.extras.no_fallback = true;
        self
    }

    /// Sets the rule for a parameter of the route and its descendants.
    #[must_use]
    pub fn param(mut self, name: impl Into<String>, rule: Rule) -> Self {
        self.params.push((name.into().into(), rule));
        self
    }

    /// Makes parameters mandatory for this route that its path allows to be absent.
    #[must_use]
    pub fn required<T: Into<String>>(mut self, names: impl IntoIterator<Item = T>) -> Self {
        self.extras.required.extend(names.into_iter().map(|name| Placed::from(name.into())));
        self
    }

    /// Sets the methods that the route accepts (RFC 9110, section 9). The default is `GET`.
    #[must_use]
    pub fn methods<T: Into<String>>(mut self, methods: impl IntoIterator<Item = T>) -> Self {
        self.extras.methods.extend(methods.into_iter().map(|method| Placed::from(method.into())));
        self
    }

    /// Sets the host of the route and its descendants, a template such as `{club}.larkfell.example`.
    #[must_use]
    pub fn host(mut self, host: impl Into<String>) -> Self {
        self.extras.host = Some(host.into().into());
        self
    }

    /// Makes the route redirect instead of showing a page: to a route, given by its full name, or to a [`RedirectTo`].
    #[must_use]
    pub fn redirect(mut self, to: impl Into<RedirectTo>) -> Self {
        self.redirect = Some(Arc::new(to.into()));
        self
    }

    /// Sets which needs visitors of the route and its descendants must meet.
    #[must_use]
    pub fn needs<T: Into<String>>(mut self, needs: impl IntoIterator<Item = T>) -> Self {
        self.extras.needs.extend(needs.into_iter().map(|need| Placed::from(need.into())));
        self
    }

    /// Sets the priority. If two routes accept a common URL and neither is narrower, the higher number answers.
    #[must_use]
    pub fn priority(mut self, priority: i64) -> Self {
        self.extras.priority = priority;
        self
    }

    /// Attaches data of your own, which each match hands out.
    #[must_use]
    pub fn data(mut self, name: impl Into<String>, value: impl Into<Data>) -> Self {
        if let Data::Table(entries) = &mut self.extras.data {
            entries.push((name.into(), value.into()));
        }
        self
    }

    /// Adds a child route.
    #[must_use]
    pub fn route(mut self, route: RouteSpec) -> Self {
        self.routes.push(route);
        self
    }

    /// Makes the routes of another table children of this route, with its shared rules, lists, formats and needs. The
    /// settings of its site are not taken over. Names of routes, in redirects for example, are looked up in the mounted
    /// table first.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// // In a crate of its own:
    /// let archive = TableSpec::new().route(RouteSpec::new("plate").path("/{plate}").page("plate"));
    /// // In the crate of the site:
    /// let table = TableSpec::new().route(RouteSpec::new("archive").path("/plates").mount(archive)).build()?;
    /// assert_eq!(table.link("archive.plate").set("plate", "b-1021").to_url().unwrap(), "/plates/b-1021");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn mount(mut self, table: TableSpec) -> Self {
        self.extras.mounted.push(table);
        self
    }
}
