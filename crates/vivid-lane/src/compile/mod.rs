//! Declared table → frozen table.
//!
//! One pass down: [`chain`] walks the declared routes and joins each path to its parent's, [`shape`] turns a
//! path into the sequences of segments that it accepts, [`grow`] puts those into the tree. Everything that is
//! wrong is noted and reported together at the end. Linear in the size of the table.

mod chain;
mod grow;
mod shape;

use std::sync::Arc;

use crate::matcher::Table;
use crate::table::{Source, TableError, TableSpec};

impl TableSpec {
    /// Builds the table.
    ///
    /// # Errors
    /// Everything that is wrong with the declaration, each with its place and how to mend it.
    pub fn build(mut self) -> Result<Table, TableError> {
        let mut report = std::mem::take(&mut self.report);
        let (routes, pages) = chain::walk(&mut self, &mut report);
        let grown = grow::grow(routes, &mut report);
        if report.has_errors() {
            return Err(report.into_error());
        }
        let fallback = self.fallback.map(|_| crate::matcher::PageId(0));
        Ok(Table::new(Arc::new(grown.freeze(fallback)), pages.into()))
    }
}

impl Table {
    /// Builds a table from a TOML table file.
    ///
    /// # Errors
    /// Everything that is wrong with the file, each with its line and column.
    pub fn from_toml(text: &str) -> Result<Self, TableError> {
        Self::from_source(Source::toml(text))
    }

    /// Builds a table from a source, which can carry the name of its file.
    ///
    /// # Errors
    /// Everything that is wrong with the source, each with its file, line and column.
    pub fn from_source(source: Source) -> Result<Self, TableError> {
        TableSpec::read(source).build()
    }
}
