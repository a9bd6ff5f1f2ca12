//! Name and values → URL.

use super::LinkError;
use crate::matcher::{Route, Table};
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
    /// let table = Table::from_toml("[routes.object]\npath = '/objects/{object}'\npage = 'object'")?;
    /// assert_eq!(table.link("object").set("object", "M 57/Lyra").to_url()?, "/objects/M%2057%2FLyra");
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

    /// The URL: a path that [`decide`](Table::decide) gives back as this route with these values.
    ///
    /// # Errors
    /// An unknown name, a group, a missing or unknown parameter, a value that no URL can carry or that would
    /// not be read back, and a URL that a narrower route would answer.
    pub fn to_url(&self) -> Result<String, LinkError> {
        let frozen = self.table.frozen();
        let Some(id) = frozen.names.get(self.name.as_str()).copied() else {
            let near = nearest(&self.name, frozen.routes.iter().map(|route| &*route.name));
            return Err(LinkError::unknown_route(&self.name, near));
        };
        let route = &frozen.routes[id.0 as usize];
        if route.page.is_none() {
            return Err(LinkError::group(&self.name));
        }
        self.check(route)?;
        let url = route.path.expand(&self.values);
        if url.len() > frozen.limits.bytes {
            return Err(LinkError::long(&self.name, frozen.limits.bytes, url.len()));
        }
        match self.table.find(&url) {
            Some(found) if found.route().name() != self.name => {
                Err(LinkError::captured(&self.name, found.route().name(), &url))
            }
            _ => Ok(url),
        }
    }

    /// Does every parameter have a value that a URL can carry, and is there no other value?
    fn check(&self, route: &Route) -> Result<(), LinkError> {
        for (name, _) in self.values.iter() {
            if !route.params.iter().any(|param| *param.name == *name) {
                let near = nearest(name, route.params.iter().map(|param| &*param.name));
                return Err(LinkError::unknown_param(&self.name, name, near));
            }
        }
        for param in &route.params {
            let name = &*param.name;
            let value = self.values.get(name).ok_or_else(|| LinkError::missing(&self.name, name))?;
            let text = value.as_text().ok_or_else(|| LinkError::not_text(&self.name, name))?;
            match text {
                "" => return Err(LinkError::empty(&self.name, name)),
                "." | ".." => return Err(LinkError::dots(&self.name, name, text)),
                _ => {}
            }
            if let Some(found) = text.chars().find(char::is_ascii_control) {
                return Err(LinkError::control(&self.name, name, found));
            }
        }
        Ok(())
    }
}
