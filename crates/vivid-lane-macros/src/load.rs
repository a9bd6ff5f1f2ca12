//! The table file and the files that it includes.

use std::path::{Path, PathBuf};

use vivid_lane::{Source, Table, TableSpec};

/// A table that was read and built.
pub(crate) struct Loaded {
    pub(crate) table: Table,
    pub(crate) main: PathBuf,
    /// What is included, by the name that stands in the table.
    pub(crate) included: Vec<(String, PathBuf)>,
}

/// Reads and builds a table; `Err` with everything that is wrong with it.
pub(crate) fn load(file: &str) -> Result<Loaded, String> {
    let root = std::env::var_os("CARGO_MANIFEST_DIR").map(PathBuf::from).unwrap_or_default();
    let main = root.join(file);
    let folder = main.parent().unwrap_or(Path::new("")).to_owned();
    // Spoken of by the name that was given, which leads to the file from the manifest.
    let shown = Path::new(file).parent().unwrap_or(Path::new("")).to_owned();
    let text = read(&main)?;
    let mut included = Vec::new();
    let spec = TableSpec::read_with(Source::by_name(file, text), &mut |name| {
        let path = folder.join(name);
        let text = read(&path)?;
        included.push((name.to_owned(), path));
        Ok(Source::by_name(shown.join(name).display().to_string(), text))
    });
    match spec.build() {
        Ok(table) => Ok(Loaded { table, main, included }),
        Err(error) => Err(format!("this table cannot be built:\n{error}")),
    }
}

fn read(path: &Path) -> Result<String, String> {
    std::fs::read_to_string(path).map_err(|error| format!("cannot read {}: {error}", path.display()))
}
