//! From the names of pages to what the program shows.

use std::fmt;

use super::table::Table;

/// The program lacks something for some pages of a table.
///
/// # Example
/// ```
/// use vivid_lane::Table;
///
/// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
/// let error = table.bind(|page| (page == "about").then_some(1)).unwrap_err();
/// assert_eq!(error.to_string(), "the table names pages that nothing is bound to: `home` (route `home`)");
/// # Ok::<(), vivid_lane::TableError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BindError {
    /// Page and the first route that names it; the fallback of the site has none.
    missing: Vec<(String, Option<String>)>,
}

impl BindError {
    /// The names of these pages.
    pub fn pages(&self) -> impl ExactSizeIterator<Item = &str> {
        self.missing.iter().map(|(page, _)| page.as_str())
    }
}

impl fmt::Display for BindError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("the table names pages that nothing is bound to: ")?;
        for (at, (page, route)) in self.missing.iter().enumerate() {
            let comma = if at > 0 { ", " } else { "" };
            match route {
                Some(route) => write!(f, "{comma}`{page}` (route `{route}`)")?,
                None => write!(f, "{comma}`{page}` (fallback of the site)")?,
            }
        }
        Ok(())
    }
}

impl std::error::Error for BindError {}

impl<P> Table<P> {
    /// Puts a value of the program in the place of each page name: a handler, a component, a template. The routes are
    /// shared with this table, not copied.
    ///
    /// # Errors
    /// All pages for which the function has nothing.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::Table;
    ///
    /// let table = Table::from_toml("[routes.home]\npath = '/'\npage = 'home'")?;
    /// let table = table.bind(|page| match page {
    ///     "home" => Some((|| "Welcome") as fn() -> &'static str),
    ///     _ => None,
    /// })?;
    /// assert_eq!(table.find("/").unwrap().page()(), "Welcome");
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn bind<Q>(&self, mut page: impl FnMut(&str) -> Option<Q>) -> Result<Table<Q>, BindError>
    where
        P: AsRef<str>,
    {
        let bound: Vec<Option<Q>> = self.pages().iter().map(|name| page(name.as_ref())).collect();
        let missing: Vec<(String, Option<String>)> = bound
            .iter()
            .zip(self.pages())
            .filter(|(bound, _)| bound.is_none())
            .map(|(_, page)| {
                let names = |candidate: Option<&P>| candidate.is_some_and(|candidate| std::ptr::eq(candidate, page));
                let route = self.routes().find(|route| names(route.page()) || names(route.fallback()));
                (page.as_ref().to_owned(), route.map(|route| route.name().to_owned()))
            })
            .collect();
        match bound.into_iter().collect::<Option<Vec<Q>>>() {
            Some(pages) => Ok(self.with_pages(pages)),
            None => Err(BindError { missing }),
        }
    }
}
