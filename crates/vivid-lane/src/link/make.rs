//! Name and values → URL.

use std::borrow::Cow;

use super::error::{LinkError, Problem};
use super::fast_path::direct;
use super::fields;
use super::values::{InlineValues, LinkValue, OwnedTexts};
use crate::compile::RETURN;
use crate::declare::nearest;
use crate::lookup::{
    Answer, Lists, Param, ParamKind, Reading, Remembered, Route, RouteId, RouteRef, Table, end_of_path, normal_host,
};
use crate::rule::{Check, Many, Shape};
use crate::template::percent::kinds;
use crate::template::{Operator, Part, Value, Values};

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

/// What happens to values that equal the default of their rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Defaults {
    /// They are left out of the URL, where they may be.
    LeftOut,
    /// Those of the path are written.
    Written,
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
        let limit = self.table.frozen().limits.bytes;
        let url = match (self.target, &self.more) {
            (Some(route), None) => direct(route, &self.texts, limit),
            (Some(route), Some(_)) if self.has_only_texts() => direct(route, &self.texts(), limit),
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
    fn with_values(&self) -> Self {
        let mut link = self.clone();
        link.heap_values();
        link
    }

    /// The URL, with every word about what is wrong with it.
    fn checked_url(&self, route: &Route) -> Result<String, LinkError> {
        let short = self.checked(route, Defaults::LeftOut)?;
        let url = self.write(route, &short)?;
        let Err(error) = self.read_back(route, &short, &url) else { return Ok(url) };
        // Where leaving a default out lets another reading in, it is written.
        let long = self.checked(route, Defaults::Written)?;
        let url = self.write(route, &long)?;
        if long != short && self.read_back(route, &long, &url).is_ok() { Ok(url) } else { Err(error) }
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

    /// The URL of a redirect: whatever answers it.
    pub(crate) fn to_any_url(&self) -> Result<String, LinkError> {
        let route = self.target()?;
        let link = self.with_values();
        let values = link.checked(route, Defaults::LeftOut)?;
        link.write(route, &values)
    }

    /// The route, which must have a page.
    fn target(&self) -> Result<&'t Route, LinkError> {
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

    fn error(&self, kind: Problem) -> LinkError {
        LinkError::new(self.name(), kind)
    }

    fn write(&self, route: &Route, values: &Values) -> Result<String, LinkError> {
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
        if url.len() > frozen.limits.bytes {
            return Err(self.error(Problem::Long { limit: frozen.limits.bytes, found: url.len() }));
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

    /// The values that go into the template: all checked, defaults filled in or left out.
    fn checked(&self, route: &Route, defaults: Defaults) -> Result<Cow<'_, Values>, LinkError> {
        for (name, _) in self.values().iter() {
            if !route.params.iter().any(|param| *param.name == *name) {
                let near = nearest(name, route.params.iter().map(|param| &*param.name));
                let (name, near) = (name.to_owned(), near.map(str::to_owned));
                return Err(self.error(Problem::UnknownParam { name, near }));
            }
        }
        if self.inherited().is_empty() && route.takes_values_as_they_are {
            for param in &*route.params {
                match self.values().get(&param.name) {
                    Some(value) => self.check(param, value)?,
                    None if param.is_optional => {}
                    None => return Err(self.error(Problem::Missing { name: param.name.to_string() })),
                }
            }
            return Ok(Cow::Borrowed(self.values()));
        }
        let mut checked = Values::new();
        for param in &*route.params {
            let name = &*param.name;
            let default = param.check.default.as_ref();
            let may_go = param.is_optional && (defaults == Defaults::LeftOut || param.kind == ParamKind::Query);
            match self.values().get(name).or_else(|| self.inherited().get(name)) {
                None if may_go || (param.is_optional && default.is_none()) => {}
                None => match default {
                    Some(default) => checked.insert(name, default.clone()),
                    None => return Err(self.error(Problem::Missing { name: name.to_owned() })),
                },
                Some(value) => {
                    let value = in_form(param, value);
                    if may_go && default == Some(&value) {
                        continue;
                    }
                    self.check(param, &value)?;
                    checked.insert(name, value);
                }
            }
        }
        self.fill_gaps(route, &mut checked)?;
        Ok(Cow::Owned(checked))
    }

    /// What is filled from left to right has no gaps: the default of a value before another is written after all.
    fn fill_gaps(&self, route: &Route, values: &mut Values) -> Result<(), LinkError> {
        for part in route.path.parts() {
            let Part::Expression(expression) = part else { continue };
            if !matches!(expression.operator(), Operator::Segment | Operator::Label) {
                continue;
            }
            let mut variables = expression.variables();
            let last = variables.rfind(|variable| values.get(variable.name()).is_some());
            // What is left stands before it.
            let Some(last) = last else { continue };
            for variable in variables {
                if values.get(variable.name()).is_some() {
                    continue;
                }
                let param = route.params.iter().find(|param| *param.name == *variable.name());
                match param.and_then(|param| param.check.default.as_ref()) {
                    Some(default) => values.insert(variable.name(), default.clone()),
                    None => {
                        let (name, before) = (last.name().to_owned(), variable.name().to_owned());
                        return Err(self.error(Problem::Gap { name, before }));
                    }
                }
            }
        }
        Ok(())
    }

    fn check(&self, param: &Param, value: &Value) -> Result<(), LinkError> {
        let name = &*param.name;
        let form = |expected| Err(self.error(Problem::Form { name: name.to_owned(), expected }));
        let many = |count: usize| {
            let (least, most) = param.check.values.count();
            if (usize::from(least)..=usize::from(most)).contains(&count) {
                return Ok(());
            }
            let most = (most != u16::MAX).then_some(usize::from(most));
            Err(self.error(Problem::Count { name: name.to_owned(), found: count, least: usize::from(least), most }))
        };
        match (&param.check.values, value) {
            (Many::One, Value::Text(text)) => self.check_text(param, &param.check, text),
            (Many::One, _) => form("one value"),
            (Many::List { items: rule, .. }, Value::List(items)) => {
                many(items.len())?;
                items.iter().try_for_each(|item| self.check_text(param, rule, item))?;
                self.each_once(param, items)
            }
            (Many::List { .. }, _) => form("a list of texts"),
            (Many::Pairs { names, values, .. }, Value::Pairs(pairs)) => {
                many(pairs.len())?;
                pairs.iter().try_for_each(|(key, text)| {
                    self.check_text(param, names, key)?;
                    self.check_text(param, values, text)
                })
            }
            (Many::Pairs { .. }, _) => form("a list of pairs"),
        }
    }

    fn each_once(&self, param: &Param, items: &[String]) -> Result<(), LinkError> {
        match param.check.refusal_of_number(items.len(), items.iter().map(String::as_str)) {
            Some(reason) => {
                let (name, value) = (param.name.to_string(), items.join(","));
                Err(self.error(Problem::Refused { name, value, reason }))
            }
            None => Ok(()),
        }
    }

    /// Checks one text: the value, or an item of it.
    fn check_text(&self, param: &Param, rule: &Check, text: &str) -> Result<(), LinkError> {
        let name = &*param.name;
        let is_any = rule.is_any();
        let is_in_query = matches!(param.kind, ParamKind::Query | ParamKind::Pairs);
        if !is_in_query || !is_any {
            self.no_controls(name, text)?;
        }
        let may_be_empty = (is_in_query || param.kind == ParamKind::Fragment) && is_any;
        if text.is_empty() && !may_be_empty {
            return Err(self.error(Problem::Empty { name: name.to_owned() }));
        }
        match rule.refusal(text) {
            Some(reason) if !may_be_empty => {
                let (name, value) = (name.to_owned(), text.to_owned());
                Err(self.error(Problem::Refused { name, value, reason }))
            }
            _ => Ok(()),
        }
    }

    fn no_controls(&self, name: &str, text: &str) -> Result<(), LinkError> {
        if !kinds(text.as_bytes()).has_control() {
            return Ok(());
        }
        match text.chars().find(char::is_ascii_control) {
            Some(found) => Err(self.error(Problem::Control { name: name.to_owned(), found })),
            None => Ok(()),
        }
    }

    /// Would the URL be read as this route with these values?
    fn read_back(&self, route: &Route, values: &Values, url: &str) -> Result<(), LinkError> {
        let lists = OwnLists { route, values };
        let answers = Remembered::asking(&lists, &|_: &str| true);
        let method = route.methods.0.first().map_or("GET", |method| &**method);
        let Some(found) = self.table.frozen().read(url, method, &answers) else {
            return Err(self.error(Problem::Unread { url: url.to_owned() }));
        };
        if *found.route().name != *route.name {
            let by = found.route().name.to_string();
            return Err(self.error(Problem::Captured { by, url: url.to_owned() }));
        }
        for (index, param) in route.params.iter().enumerate() {
            let given = values.get(&param.name);
            if param.kind != ParamKind::Fragment && !is_same(&found, index, param, given) {
                let (name, given, read) = (param.name.to_string(), given.cloned(), found.value_at(index));
                return Err(self.error(Problem::NotReversible { name, given, read, url: url.to_owned() }));
            }
        }
        Ok(())
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

    /// The value that the link gives a parameter.
    pub(super) fn given(&self, param: &Param) -> Option<Value> {
        let text = self.text_of(&param.name).map(Value::from);
        let given =
            text.as_ref().or_else(|| self.values().get(&param.name).or_else(|| self.inherited().get(&param.name)));
        given.map(|value| in_form(param, value)).or_else(|| param.check.default.clone())
    }

    /// Whether the link itself gives the parameter a value.
    pub(super) fn sets(&self, name: &str) -> bool {
        self.values().get(name).is_some() || self.text_of(name).is_some()
    }
}

/// Whether the value that was read back is the one that was given, or the default if none was.
fn is_same(found: &Reading<'_, '_>, index: usize, param: &Param, given: Option<&Value>) -> bool {
    if let Some(Value::Text(given)) = given {
        return found.text(index).is_some_and(|read| read == given.as_str());
    }
    match (found.value_at(index), given) {
        (None, None) => true,
        (Some(read), Some(given)) => read == *given,
        (Some(read), None) => param.check.default.as_ref() == Some(&read),
        _ => false,
    }
}

/// A list of one item may be given as a text.
fn in_form(param: &Param, value: &Value) -> Value {
    match (param.kind, value) {
        (_, Value::Text(text)) if param.check.shape() == Shape::List => Value::List(vec![text.clone()]),
        (ParamKind::Host, Value::Text(text)) => Value::Text(normal_host(text).into_owned()),
        _ => value.clone(),
    }
}

/// The lists as far as a link knows them: its own values are in the lists that they are said to be in.
struct OwnLists<'a> {
    route: &'a Route,
    values: &'a Values,
}

impl Lists for OwnLists<'_> {
    fn contains(&self, list: &str, value: &str) -> Answer {
        let is_own = |param: &Param| match self.values.get(&param.name) {
            Some(Value::Text(text)) => text == value,
            Some(Value::List(items)) => items.iter().any(|item| item == value),
            Some(Value::Pairs(pairs)) => pairs.iter().any(|(name, text)| name == value || text == value),
            None => false,
        };
        let names_list = |param: &&Param| {
            param.check.list.as_deref() == Some(list) || param.check.list_of_items().contains(&Some(list))
        };
        self.route.params.iter().filter(names_list).any(is_own).into()
    }
}
