//! Name and values → URL.

use super::error::{Kind, LinkError};
use crate::matcher::{Lists, Match, Param, ParamKind, Route, Table};
use crate::table::nearest;
use crate::template::{Value, Values};

/// A link that is being made: the name of a route, and values for its parameters.
///
/// Made by [`Table::link`]; [`to_url`](Self::to_url) checks and expands.
#[derive(Debug, Clone)]
pub struct Link<'t, P = String> {
    table: &'t Table<P>,
    name: String,
    values: Values,
}

impl<P> Table<P> {
    /// Starts a link to the route of that full name.
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
    pub fn link(&self, name: impl Into<String>) -> Link<'_, P> {
        Link { table: self, name: name.into(), values: Values::new() }
    }
}

impl<P> Link<'_, P> {
    /// Sets the value of a parameter; one that was set before is replaced.
    #[must_use]
    pub fn set(mut self, name: impl Into<String>, value: impl Into<Value>) -> Self {
        self.values.insert(name, value);
        self
    }

    /// The URL: a path that [`decide`](Table::decide) gives back as this route with these values. For a route
    /// with a host it is absolute.
    ///
    /// A value that equals the default of its rule is left out where it may be.
    ///
    /// # Errors
    /// An unknown name, a group, a missing or unknown parameter, a value that its rule refuses or that no URL
    /// can carry, values that would not be read back as they are, and a URL that another route would answer.
    pub fn to_url(&self) -> Result<String, LinkError> {
        let frozen = self.table.frozen();
        let Some(id) = frozen.names.get(self.name.as_str()).copied() else {
            let near = nearest(&self.name, frozen.routes.iter().map(|route| &*route.name));
            return Err(self.error(Kind::UnknownRoute { near: near.map(str::to_owned) }));
        };
        let route = frozen.route(id);
        if route.page.is_none() {
            return Err(self.error(Kind::Group));
        }
        let values = self.checked(route)?;
        let path = self.path(route, &values)?;
        let host = route.host_template.as_ref().map(|host| host.expand(&values));
        let url = match host {
            None => path,
            Some(host) => {
                let origin = frozen.origin.as_deref().unwrap_or_default();
                let scheme = origin.split_once("://").map_or("https", |(scheme, _)| scheme);
                format!("{scheme}://{host}{path}")
            }
        };
        if url.len() > frozen.limits.bytes {
            return Err(self.error(Kind::Long { limit: frozen.limits.bytes, found: url.len() }));
        }
        self.read_back(route, &values, &url)?;
        Ok(url)
    }

    fn error(&self, kind: Kind) -> LinkError {
        LinkError::new(&self.name, kind)
    }

    /// Path, query and fragment.
    fn path(&self, route: &Route, values: &Values) -> Result<String, LinkError> {
        let mut url = route.path.expand(values);
        // A path whose only segments are optional expands to nothing at all.
        if !url.starts_with('/') {
            url.insert(0, '/');
        }
        let path = &url[..url.find(['?', '#']).unwrap_or(url.len())];
        match path.split('/').find(|segment| matches!(*segment, "." | "..")) {
            Some(dots) => Err(self.error(Kind::Dots { segment: dots.to_owned() })),
            None => Ok(url),
        }
    }

    /// The values that go into the template: all checked, defaults filled in or left out.
    fn checked(&self, route: &Route) -> Result<Values, LinkError> {
        for (name, _) in self.values.iter() {
            if !route.params.iter().any(|param| *param.name == *name) {
                let near = nearest(name, route.params.iter().map(|param| &*param.name));
                let (name, near) = (name.to_owned(), near.map(str::to_owned));
                return Err(self.error(Kind::UnknownParam { name, near }));
            }
        }
        let mut checked = Values::new();
        for param in &route.params {
            let name = &*param.name;
            let default = param.check.default.as_deref();
            match self.values.get(name) {
                None if param.is_optional => {}
                None => match default {
                    Some(default) => checked.insert(name, default),
                    None => return Err(self.error(Kind::Missing { name: name.to_owned() })),
                },
                Some(value) if param.is_optional && value.as_text().is_some_and(|text| default == Some(text)) => {}
                Some(value) => {
                    self.check(param, value)?;
                    checked.insert(name, in_form(param.kind, value));
                }
            }
        }
        Ok(checked)
    }

    fn check(&self, param: &Param, value: &Value) -> Result<(), LinkError> {
        let name = &*param.name;
        let one = |text: &str| self.check_text(param, text);
        let form = |expected| Err(self.error(Kind::Form { name: name.to_owned(), expected }));
        match (param.kind, value) {
            (ParamKind::Items, Value::List(items)) => {
                let (least, most) = (usize::from(param.check.min_items), usize::from(param.check.max_items));
                if !(least..=most).contains(&items.len()) {
                    let most = (param.check.max_items != u16::MAX).then_some(most);
                    return Err(self.error(Kind::Count { name: name.to_owned(), found: items.len(), least, most }));
                }
                items.iter().try_for_each(|item| one(item))
            }
            (ParamKind::Pairs, Value::Pairs(pairs)) => pairs.iter().try_for_each(|(key, text)| {
                self.no_controls(name, key)?;
                self.no_controls(name, text)
            }),
            (ParamKind::Pairs, _) => form("a list of pairs"),
            (_, Value::Text(text)) => one(text),
            (ParamKind::Items, _) => form("a list of texts"),
            _ => form("one value"),
        }
    }

    fn check_text(&self, param: &Param, text: &str) -> Result<(), LinkError> {
        let name = &*param.name;
        self.no_controls(name, text)?;
        let may_be_empty = matches!(param.kind, ParamKind::Query | ParamKind::Fragment) && param.check.is_any();
        if text.is_empty() && !may_be_empty {
            return Err(self.error(Kind::Empty { name: name.to_owned() }));
        }
        match param.check.refusal(text) {
            Some(reason) if !may_be_empty => {
                let (name, value) = (name.to_owned(), text.to_owned());
                Err(self.error(Kind::Refused { name, value, reason }))
            }
            _ => Ok(()),
        }
    }

    fn no_controls(&self, name: &str, text: &str) -> Result<(), LinkError> {
        match text.chars().find(char::is_ascii_control) {
            Some(found) => Err(self.error(Kind::Control { name: name.to_owned(), found })),
            None => Ok(()),
        }
    }

    /// Would the URL be read as this route with these values?
    fn read_back(&self, route: &Route, values: &Values, url: &str) -> Result<(), LinkError> {
        let lists = OwnLists { route, values };
        let method = route.methods.0.first().map_or("GET", |method| &**method);
        let Some(found) = self.table.find_with(url, method, &lists) else {
            return Err(self.error(Kind::Unread { url: url.to_owned() }));
        };
        if found.route().name() != self.name {
            let by = found.route().name().to_owned();
            return Err(self.error(Kind::Captured { by, url: url.to_owned() }));
        }
        for param in &route.params {
            let given = values.get(&param.name);
            if param.kind != ParamKind::Fragment && !is_same(&found, param, given) {
                let (name, given, read) = (param.name.to_string(), given.cloned(), found.value(&param.name));
                return Err(self.error(Kind::NotReversible { name, given, read, url: url.to_owned() }));
            }
        }
        Ok(())
    }
}

/// Was the value read back that was given, or the default where none was?
fn is_same<P>(found: &Match<'_, '_, P>, param: &Param, given: Option<&Value>) -> bool {
    match (found.value(&param.name), given) {
        (None, None) => true,
        (Some(read), Some(given)) => read == *given,
        (Some(Value::Text(read)), None) => param.check.default.as_deref() == Some(read.as_str()),
        _ => false,
    }
}

/// A list of one segment may be given as a text.
fn in_form(kind: ParamKind, value: &Value) -> Value {
    match (kind, value) {
        (ParamKind::Items, Value::Text(text)) => Value::List(vec![text.clone()]),
        // A host is read in small letters.
        (ParamKind::Host, Value::Text(text)) => Value::Text(text.to_ascii_lowercase()),
        _ => value.clone(),
    }
}

/// The lists as far as a link knows them: its own values are in the lists that they are said to be in.
struct OwnLists<'a> {
    route: &'a Route,
    values: &'a Values,
}

impl Lists for OwnLists<'_> {
    fn contains(&self, list: &str, value: &str) -> bool {
        let is_own = |param: &Param| match self.values.get(&param.name) {
            Some(Value::Text(text)) => text == value,
            Some(Value::List(items)) => items.iter().any(|item| item == value),
            _ => false,
        };
        self.route.params.iter().any(|param| param.check.list.as_deref() == Some(list) && is_own(param))
    }
}
