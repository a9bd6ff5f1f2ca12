//! Name and values → URL.

use std::borrow::Cow;

use super::direct::direct;
use super::error::{LinkError, Problem};
use super::fields;
use super::values::{InlineValues, LinkValue, OwnedTexts};
use crate::compile::RETURN;
use crate::declare::nearest;
use crate::lookup::{MOST_BYTES, Route, RouteId, RouteRef, Table, end_of_path};
use crate::template::{Value, Values};

/// A link under construction: a route, and values for its parameters.
///
/// Made by [`Table::link`], or from the page that is shown by [`Position::link`](crate::Position::link);
/// [`to_url`](Self::to_url) checks and expands.
#[derive(Debug)]
pub struct Link<'t, P = String> {
    table: &'t Table<P>,
    /// The route, if one has the name.
    target: Option<&'t Route>,
    /// Texts for its parameters, as long as nothing else is set.
    texts: InlineValues<'t>,
    /// What few links have, apart, so that the others stay small.
    more: Option<Box<HeapValues>>,
}

/// What a link has beside texts.
#[derive(Debug, Clone, Default)]
pub(super) struct HeapValues {
    /// The name that no route has.
    name: Box<str>,
    /// Texts that are not borrowed.
    owned: OwnedTexts,
    values: Values,
    /// Values of the page that is shown, where nothing else is set.
    inherited: Values,
    /// The address that the page that is shown would lead back to, and its own.
    back: Option<String>,
    here: Option<String>,
    /// Why values could not be taken over.
    unreadable: Option<String>,
}

impl HeapValues {
    #[cold]
    fn of_no_route(name: &str) -> Box<Self> {
        Box::new(Self { name: name.into(), ..Self::default() })
    }
}

/// No values.
static NO_VALUES: Values = Values::new();

impl<P> Clone for Link<'_, P> {
    fn clone(&self) -> Self {
        Self { table: self.table, target: self.target, texts: self.texts, more: self.more.clone() }
    }
}

impl<P> Table<P> {
    /// Starts a link to a route, given by its full name.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.object]\npath = '/objects/{object}{?view}'\npage = 'object'")?;
    /// let link = table.link("object").set("object", "M 57/Lyra");
    /// assert_eq!(link.to_url()?, "/objects/M%2057%2FLyra");
    /// assert_eq!(link.set("view", "wide").to_url()?, "/objects/M%2057%2FLyra?view=wide");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn link(&self, name: impl AsRef<str>) -> Link<'_, P> {
        let name = name.as_ref();
        let frozen = self.frozen();
        let target = frozen.named(name).map(|id| frozen.route(id));
        let more = if target.is_none() { Some(HeapValues::of_no_route(name)) } else { None };
        Link { table: self, target, texts: InlineValues::default(), more }
    }

    /// A link to a route whose values are known to be its own.
    pub(crate) fn link_to(&self, id: RouteId, values: Values) -> Link<'_, P> {
        let more = HeapValues { values, ..HeapValues::default() };
        Link {
            table: self,
            target: Some(self.frozen().route(id)),
            texts: InlineValues::default(),
            more: Some(Box::new(more)),
        }
    }
}

impl<'t, P> Link<'t, P> {
    /// Sets the value of a parameter, and replaces an earlier one. A borrowed text must live as long as the link.
    #[must_use]
    pub fn set(mut self, name: impl AsRef<str>, value: impl Into<LinkValue<'t>>) -> Self {
        self.put(name.as_ref(), value.into());
        self
    }

    #[inline]
    fn put(&mut self, name: &str, value: LinkValue<'t>) {
        match value.into_text() {
            Ok(Cow::Borrowed(text)) => self.put_text(name, text),
            Ok(Cow::Owned(text)) => self.put_owned(name, text),
            Err(value) => self.put_other(name, value),
        }
    }

    /// The place of a parameter among the few texts, as long as there is nothing else.
    fn place(&self, name: &str) -> Option<usize> {
        if self.values().is_empty() { self.texts.place(&self.target?.params, name) } else { None }
    }

    /// Most texts are given in the order of the parameters. This is not within what calls it, as the link would be taken apart there.
    #[inline(never)]
    fn put_text(&mut self, name: &str, text: &'t str) {
        match self.target.and_then(|route| self.texts.next_place(&route.params, name)) {
            Some(place) if self.more.is_none() => self.texts.put(place, text),
            _ => self.put_any_text(name, text),
        }
    }

    #[cold]
    fn put_any_text(&mut self, name: &str, text: &'t str) {
        let Some(place) = self.place(name) else { return self.put_other(name, text.into()) };
        self.texts.put(place, text);
        if let Some(more) = &mut self.more {
            more.owned[place].clear();
        }
    }

    #[cold]
    fn put_owned(&mut self, name: &str, text: String) {
        let Some(place) = self.place(name) else { return self.put_other(name, text.into()) };
        self.texts.put(place, "");
        self.more.get_or_insert_default().owned[place] = text;
    }

    /// Sets a value that is no text, or one for which there is no room.
    #[cold]
    fn put_other(&mut self, name: &str, value: Value) {
        self.heap_values().insert(name, value);
    }

    /// All values, in the form that holds any.
    fn heap_values(&mut self) -> &mut Values {
        let texts = std::mem::take(&mut self.texts);
        let more = self.more.get_or_insert_default();
        let owned = std::mem::take(&mut more.owned);
        if let Some(route) = self.target {
            for (place, text) in texts.with(&owned).iter() {
                more.values.insert(&*route.params[place].name, text);
            }
        }
        &mut more.values
    }

    /// The few texts, also those that are owned.
    pub(super) fn texts(&self) -> InlineValues<'_> {
        self.more.as_ref().map_or(self.texts, |more| self.texts.with(&more.owned))
    }

    /// The text of the parameter of that name, where it is among the few.
    pub(super) fn text_of(&self, name: &str) -> Option<&str> {
        self.texts().at(self.texts.place(&self.target?.params, name)?)
    }

    /// Whether nothing is set but texts.
    pub(super) fn has_only_texts(&self) -> bool {
        let is_empty =
            |more: &HeapValues| more.values.is_empty() && more.inherited.is_empty() && more.unreadable.is_none();
        self.more.as_deref().is_none_or(is_empty)
    }

    pub(super) fn values(&self) -> &Values {
        self.more.as_ref().map_or(&NO_VALUES, |more| &more.values)
    }

    pub(super) fn inherited(&self) -> &Values {
        self.more.as_ref().map_or(&NO_VALUES, |more| &more.inherited)
    }

    /// Removes a value, also one that is inherited from the current page.
    #[must_use]
    pub fn without(mut self, name: &str) -> Self {
        self.heap_values().remove(name);
        self.more.get_or_insert_default().inherited.remove(name);
        self
    }

    /// Sets values from a struct of the program, by serde: a field for each parameter, of the same name. It is
    /// the inverse of [`Position::params`](crate::Position::params). An absent `Option` sets nothing. What serde
    /// cannot write is reported by [`to_url`](Self::to_url).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// #[derive(serde::Serialize)]
    /// struct Exposure<'a> {
    ///     date: &'a str,
    ///     number: u16,
    ///     band: Option<char>,
    /// }
    ///
    /// let table = Table::from_toml("[routes.exposure]\npath = '/nights/{date}/{number}{?band}'\npage = 'exposure'")?;
    /// let exposure = Exposure { date: "2031-04-02", number: 7, band: None };
    /// assert_eq!(table.link("exposure").params(&exposure).to_url()?, "/nights/2031-04-02/7");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    #[must_use]
    pub fn params<T: serde_core::Serialize + ?Sized>(mut self, params: &T) -> Self {
        match fields::values(params) {
            Ok(values) => values.into_iter().for_each(|(name, value)| self.put(&name, value.into())),
            Err(reason) => self.more.get_or_insert_default().unreadable = Some(reason),
        }
        self
    }

    /// A link from a page: with the values that it takes over, the address that the page would lead back to, and its own.
    pub(super) fn on_page(mut self, inherited: Values, back: Option<String>, here: String) -> Self {
        let more = self.more.get_or_insert_default();
        (more.inherited, more.back, more.here) = (inherited, back, Some(here));
        self
    }

    pub(super) fn name(&self) -> &str {
        match (self.target, &self.more) {
            (Some(route), _) => &route.name,
            (None, Some(more)) => &more.name,
            (None, None) => "",
        }
    }

    pub(super) fn table(&self) -> &'t Table<P> {
        self.table
    }

    /// Makes the URL. [`decide`](Table::decide) gives it back as this route with these values, and it is in canonical
    /// form. It is absolute for a route with a host.
    ///
    /// A value that equals the default of its rule is left out where it may be.
    ///
    /// # Errors
    /// An unknown name, a group or a redirect, a missing or unknown parameter, a value that its rule refuses or
    /// that no URL can carry, values that would not be read back as they are, and a URL that another route
    /// would answer.
    pub fn to_url(&self) -> Result<String, LinkError> {
        let url = match (self.target, &self.more) {
            (Some(route), None) => direct(route, &self.texts),
            (Some(route), Some(_)) if self.has_only_texts() => direct(route, &self.texts()),
            _ => None,
        };
        match url {
            Some(url) => Ok(url),
            None => self.other_url(),
        }
    }

    /// The URL of a link that is not of the plainest kind.
    fn other_url(&self) -> Result<String, LinkError> {
        let route = self.target()?;
        if let Some(url) = self.quick(route) {
            return Ok(url);
        }
        if self.texts.is_empty() { self.checked_url(route) } else { self.with_values().checked_url(route) }
    }

    /// The same link with its texts among the other values.
    pub(super) fn with_values(&self) -> Self {
        let mut link = self.clone();
        link.heap_values();
        link
    }

    /// Makes the URL with the scheme and host of the site.
    ///
    /// # Errors
    /// Those of [`to_url`](Self::to_url), and a table without `origin`.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[site]\norigin = 'https://larkfell.example'\n[routes.home]\npath = '/'\npage = 'home'")?;
    /// assert_eq!(table.link("home").to_absolute_url()?, "https://larkfell.example/");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn to_absolute_url(&self) -> Result<String, LinkError> {
        let url = self.to_url()?;
        match &self.table.frozen().site.origin {
            _ if !url.starts_with('/') => Ok(url),
            Some(origin) => Ok(format!("{origin}{url}")),
            None => Err(self.error(Problem::NoOrigin)),
        }
    }

    /// The route, which must have a page.
    pub(super) fn target(&self) -> Result<&'t Route, LinkError> {
        let frozen = self.table.frozen();
        let Some(route) = self.target else {
            let near = nearest(self.name(), frozen.routes.iter().map(|route| &*route.name));
            return Err(self.error(Problem::UnknownRoute { near: near.map(str::to_owned) }));
        };
        if route.extras.onward.is_some() {
            let to = self.table.route(&route.name).and_then(RouteRef::redirects_to).map(|to| to.name().to_owned());
            return Err(self.error(Problem::Redirect { to }));
        }
        if route.page.is_none() {
            return Err(self.error(Problem::Group));
        }
        match self.more.as_ref().and_then(|more| more.unreadable.as_ref()) {
            Some(reason) => Err(self.error(Problem::Unreadable { reason: reason.clone() })),
            None => Ok(route),
        }
    }

    pub(super) fn error(&self, kind: Problem) -> LinkError {
        LinkError::new(self.name(), kind)
    }

    pub(super) fn write(&self, route: &Route, values: &Values) -> Result<String, LinkError> {
        let frozen = self.table.frozen();
        let address = frozen.site.address(self.path(route, values)?);
        let host = route.extras.host.as_ref().map(|host| host.template.expand(values));
        let url = match host {
            None => address,
            Some(host) => {
                let origin = frozen.site.origin.as_deref().unwrap_or_default();
                let scheme = origin.split_once("://").map_or("https", |(scheme, _)| scheme);
                format!("{scheme}://{host}{address}")
            }
        };
        if url.len() > MOST_BYTES {
            return Err(self.error(Problem::Long { limit: MOST_BYTES, found: url.len() }));
        }
        Ok(url)
    }

    /// Path, query and fragment.
    fn path(&self, route: &Route, values: &Values) -> Result<String, LinkError> {
        let mut url = route.path.expand(values);
        // A path whose only segments are optional expands to nothing at all.
        if !url.starts_with('/') {
            url.insert(0, '/');
        }
        let path = &url[..end_of_path(&url)];
        // Hardly any path has a segment that begins with a dot.
        let may_have_dots = path.as_bytes().windows(2).any(|pair| pair == b"/.");
        let dots = || path.split('/').find(|segment| matches!(*segment, "." | ".."));
        match may_have_dots.then(dots).flatten() {
            Some(dots) => Err(self.error(Problem::Dots { segment: dots.to_owned() })),
            None => Ok(url),
        }
    }

    /// Passes on the return address of a sign-in page to another page on the way, such as a registration. It does
    /// nothing if the current page has no return address.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let table = TableSpec::new()
    ///     .route(RouteSpec::new("sign-in").path("/sign-in{?return}").page("sign-in"))
    ///     .route(RouteSpec::new("register").path("/register{?return}").page("register"))
    ///     .build()?;
    /// let sign_in = table.find("/sign-in?return=%2Flogbook").unwrap();
    /// assert_eq!(sign_in.link("register").carry_return().to_url().unwrap(), "/register?return=%2Flogbook");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn carry_return(mut self) -> Self {
        if let Some(back) = self.more.as_mut().and_then(|more| more.back.take()) {
            self.heap_values().insert(RETURN, back);
        }
        self
    }

    /// Makes the linked page lead back to the current page. Use it for a link to a sign-in page that visitors may
    /// follow, but need not.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let table = TableSpec::new()
    ///     .route(RouteSpec::new("sign-in").path("/sign-in{?return}").page("sign-in"))
    ///     .route(RouteSpec::new("talks").path("/talks").page("talks"))
    ///     .build()?;
    /// let talks = table.find("/talks?year=2031").unwrap();
    /// let url = talks.link("sign-in").return_here().to_url().unwrap();
    /// assert_eq!(url, "/sign-in?return=%2Ftalks%3Fyear%3D2031");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn return_here(mut self) -> Self {
        if let Some(here) = self.more.as_mut().and_then(|more| more.here.take()) {
            self.heap_values().insert(RETURN, here);
        }
        self
    }

    /// Whether the link itself gives the parameter a value.
    pub(super) fn sets(&self, name: &str) -> bool {
        self.values().get(name).is_some() || self.text_of(name).is_some()
    }
}
