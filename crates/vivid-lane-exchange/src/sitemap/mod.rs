//! Table → sitemap (Sitemap protocol 0.9), as a stream.
//!
//! Every page that a `GET` answers without a need is listed once, under its canonical URL, for all values that are known: those
//! that a rule names one by one, those of lists, and those that are given. A route's `data.sitemap` holds `lastmod`,
//! `changefreq` and `priority`, or is `false`. The values of the language parameter become alternates of each other.
//!
//! ```
//! use vivid_lane::Table;
//! use vivid_lane_exchange::sitemap::Sitemap;
//!
//! let table = Table::from_toml(
//!     "[site]\norigin = 'https://larkfell.example'\n[routes.dome]\npath = '/domes/{dome}'\npage = 'dome'",
//! )?;
//! let mut file = Vec::new();
//! let mut only = Some(&mut file);
//! let open = |_| only.take().ok_or_else(|| std::io::Error::other("these are few enough for one file"));
//! let written = Sitemap::new(&table).values("dome", ["north", "south & east"]).write(open)?;
//! assert_eq!(written.urls(), 2);
//! assert!(String::from_utf8(file)?.contains("<loc>https://larkfell.example/domes/south%20%26%20east</loc>"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod hint;
mod page;
mod read;
mod xml;

use std::collections::HashMap;
use std::fmt;
use std::io::{self, Write};

use vivid_lane::{Table, Value};

use crate::note::Notes;
pub use hint::Hints;
use page::Pages;
pub use read::SitemapFile;
use xml::UrlSets;

/// The most URLs that one file may have (Sitemap protocol, "Sitemap file location").
pub const MOST_URLS: usize = 50_000;
/// The most bytes that one file may have.
pub const MOST_BYTES: u64 = 50 << 20;

/// The values of the parameters of one page, with its hints for the sitemap.
#[derive(Debug, Clone, Default)]
pub struct Record {
    pub(crate) values: Vec<(String, Value)>,
    pub(crate) hints: Hints,
}

impl Record {
    /// A record with these values.
    #[must_use]
    pub fn new(values: impl IntoIterator<Item = (String, Value)>, hints: Hints) -> Self {
        Self { values: values.into_iter().collect(), hints }
    }
}

/// Records as they come, or why one does not.
type Records<'t> = Box<dyn Iterator<Item = io::Result<Record>> + 't>;

/// A sitemap under construction.
pub struct Sitemap<'t> {
    table: &'t Table,
    values: HashMap<String, Vec<String>>,
    lists: HashMap<String, Vec<String>>,
    records: HashMap<String, Records<'t>>,
    language: String,
}

impl fmt::Debug for Sitemap<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_struct("Sitemap").field("language", &self.language).finish_non_exhaustive()
    }
}

/// The result of writing a sitemap.
#[derive(Debug)]
pub struct Written {
    urls: usize,
    files: usize,
    /// Routes and hints that were left out, and why.
    pub notes: Notes,
}

impl Written {
    /// The number of URLs.
    #[must_use]
    pub fn urls(&self) -> usize {
        self.urls
    }

    /// The number of files. If there are several, an [index](write_index) should lead to them.
    #[must_use]
    pub fn files(&self) -> usize {
        self.files
    }
}

/// Why a sitemap could not be written.
#[derive(Debug)]
pub struct SitemapError {
    kind: Kind,
}

#[derive(Debug)]
enum Kind {
    NoOrigin,
    InFragment,
    Output(io::Error),
}

impl From<io::Error> for SitemapError {
    fn from(error: io::Error) -> Self {
        Self { kind: Kind::Output(error) }
    }
}

impl fmt::Display for SitemapError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.kind {
            Kind::NoOrigin => f.write_str(
                "a sitemap has absolute URLs, and the table has no `origin`; add `origin = \"https://…\"` under `[site]`",
            ),
            Kind::InFragment => {
                f.write_str("the pages of this table stand after `#`, where no crawler looks; a sitemap of it has one URL")
            }
            Kind::Output(error) => write!(f, "the sitemap cannot be written: {error}"),
        }
    }
}

impl std::error::Error for SitemapError {
    fn source(&self) -> Option<&(dyn std::error::Error + 'static)> {
        match &self.kind {
            Kind::Output(error) => Some(error),
            _ => None,
        }
    }
}

impl<'t> Sitemap<'t> {
    /// A sitemap of the pages whose URLs follow from the table alone.
    #[must_use]
    pub fn new(table: &'t Table) -> Self {
        let (values, lists, records) = (HashMap::new(), HashMap::new(), HashMap::new());
        Self { table, values, lists, records, language: "lang".to_owned() }
    }

    /// Adds the values of a parameter, for all routes that have it.
    #[must_use]
    pub fn values<T: Into<String>>(mut self, name: impl Into<String>, values: impl IntoIterator<Item = T>) -> Self {
        self.values.insert(name.into(), values.into_iter().map(Into::into).collect());
        self
    }

    /// Adds the values of a live list.
    #[must_use]
    pub fn list<T: Into<String>>(mut self, name: impl Into<String>, values: impl IntoIterator<Item = T>) -> Self {
        self.lists.insert(name.into(), values.into_iter().map(Into::into).collect());
        self
    }

    /// Adds the pages of a route one by one, as records of values that belong together. The iterator is read while the
    /// sitemap is written.
    #[must_use]
    pub fn records(
        mut self,
        route: impl Into<String>,
        records: impl IntoIterator<Item = io::Result<Record>, IntoIter: 't>,
    ) -> Self {
        self.records.insert(route.into(), Box::new(records.into_iter()));
        self
    }

    /// Sets the parameter whose values are languages. The default is `lang`.
    #[must_use]
    pub fn language(mut self, name: impl Into<String>) -> Self {
        self.language = name.into();
        self
    }

    /// Writes the sitemap, in as many files as it takes. The function opens a file by its number, counted from 1.
    ///
    /// # Errors
    /// A table without `origin` or with its pages after `#`; a file that cannot be written; a record that cannot be read.
    pub fn write<W: Write>(mut self, open: impl FnMut(usize) -> io::Result<W>) -> Result<Written, SitemapError> {
        if self.table.is_in_fragment() {
            return Err(SitemapError { kind: Kind::InFragment });
        }
        if self.table.origin().is_none() {
            return Err(SitemapError { kind: Kind::NoOrigin });
        }
        let mut notes = Notes::default();
        let mut sets = UrlSets::new(open)?;
        let records = std::mem::take(&mut self.records);
        let mut pages = Pages { sitemap: &self, sets: &mut sets, notes: &mut notes };
        pages.write(records)?;
        let (urls, files) = sets.finish()?;
        Ok(Written { urls, files, notes })
    }
}

/// Writes an index of sitemap files, given by their absolute URLs.
///
/// # Errors
/// Those of the writer.
pub fn write_index<W: Write>(out: W, urls: impl IntoIterator<Item = String>) -> io::Result<()> {
    xml::index(out, urls)
}
