//! The files that an editor has open, and the tables that they belong to.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::io::{self, Cursor, Read};
use std::path::{Component, Path, PathBuf};
use std::sync::{Arc, LazyLock};

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use serde_json::{Value as Json, json};
use vivid_lane::declare::{Mention, NameKind, Severity};
use vivid_lane::{Finding, Review, Table, TableSpec};

use super::text::{Text, edit};
use crate::guard::guarded;
use crate::output::{Failure, entry_of};
use crate::page_files;
use crate::system::{Entry, Local, System};
use crate::table_file::TableFile;

/// What stays as it is in the path of a `file` URI.
const PATH: &AsciiSet = &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'.').remove(b'_').remove(b'~');

#[derive(Default)]
pub(super) struct Desk {
    open: HashMap<PathBuf, String>,
    /// The folders whose files are pages.
    pages: Vec<PathBuf>,
    /// The tables, by their first file, or their folder of page files.
    tables: BTreeMap<PathBuf, TableOnDesk>,
    /// The files whose tables are to be reviewed.
    changed: BTreeSet<PathBuf>,
}

/// A table, as it was reviewed last.
pub(super) struct TableOnDesk {
    pub(super) root: PathBuf,
    pub(super) texts: BTreeMap<PathBuf, Text>,
    pub(super) findings: Vec<Finding>,
    pub(super) mentions: Vec<Mention>,
    /// The last that could be built.
    pub(super) table: Option<Table>,
    /// Whether that table is the one of these texts.
    pub(super) is_current: bool,
    /// Whether it is declared by page files.
    is_of_pages: bool,
}

impl TableOnDesk {
    /// The file of a place.
    pub(super) fn file(&self, named: Option<&str>) -> PathBuf {
        match named {
            None => self.root.clone(),
            // Page files are named from their folder on.
            Some(name) if self.is_of_pages => plain(&self.root.join(name)),
            Some(name) => plain(Path::new(name)),
        }
    }

    pub(super) fn text(&self, path: &Path) -> &Text {
        static NONE: LazyLock<Text> = LazyLock::new(Text::default);
        self.texts.get(path).unwrap_or(&NONE)
    }

    /// The findings of a file.
    pub(super) fn findings_in<'a>(&'a self, path: &'a Path) -> impl Iterator<Item = &'a Finding> {
        // What has no place stands at the beginning.
        self.findings.iter().filter(move |one| self.file(one.place().and_then(|place| place.file())) == path)
    }
}

/// What is open in the editor is read from there, and all else from the disk. An editor writes its files itself.
struct Overlay<'a>(&'a HashMap<PathBuf, String>);

impl System for Overlay<'_> {
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
        match self.0.get(&plain(path)) {
            Some(text) => Ok(Box::new(Cursor::new(text.clone().into_bytes()))),
            None => Local.open(path),
        }
    }

    fn is_file(&self, path: &Path) -> bool {
        self.0.contains_key(&plain(path)) || Local.is_file(path)
    }

    fn here(&self) -> io::Result<PathBuf> {
        Local.here()
    }

    fn entries(&self, folder: &Path) -> io::Result<Vec<Entry>> {
        Local.entries(folder)
    }
}

impl Desk {
    /// Takes files in these folders for pages.
    pub(super) fn take_for_pages(&mut self, folders: impl Iterator<Item = PathBuf>) {
        self.pages = folders.map(|folder| plain(&folder)).collect();
    }

    pub(super) fn open(&mut self, uri: &str, text: &str) {
        if let Some(path) = path_of(uri) {
            self.open.insert(path.clone(), text.to_owned());
            self.changed.insert(path);
        }
    }

    pub(super) fn change(&mut self, uri: &str, range: &Json, new: &str) {
        if let Some(path) = path_of(uri)
            && let Some(text) = self.open.get_mut(&path)
        {
            edit(text, range, new);
            self.changed.insert(path);
        }
    }

    /// Something that is not open may have changed as well.
    pub(super) fn touch(&mut self, uri: &str) {
        self.changed.extend(path_of(uri));
    }

    pub(super) fn close(&mut self, uri: &str) {
        if let Some(path) = path_of(uri) {
            self.open.remove(&path);
            self.changed.insert(path);
        }
    }

    /// Reviews the tables of what has changed; the diagnostics of their files.
    pub(super) fn review(&mut self) -> Vec<(String, Vec<Json>)> {
        let mut published = BTreeMap::new();
        let changed = std::mem::take(&mut self.changed);
        let roots: BTreeSet<PathBuf> = changed.iter().map(|path| self.root_of(path)).collect();
        for root in roots {
            let before = self.tables.remove(&root);
            // A file without findings now may have had some before: the editor must remove them.
            for path in before.iter().flat_map(|before| before.texts.keys()) {
                published.insert(uri_of(path), Vec::new());
            }
            let is_wanted = self.open.keys().any(|path| self.root_of(path) == root);
            if !is_wanted {
                continue;
            }
            let table = self.read(&root, before.and_then(|before| before.table));
            match table {
                Ok(table) => {
                    for path in table.texts.keys() {
                        let diagnostics = table.findings_in(path).map(|one| diagnostic(&table, path, one)).collect();
                        published.insert(uri_of(path), diagnostics);
                    }
                    self.tables.insert(root, table);
                }
                Err(reason) => {
                    let nowhere = json!({ "line": 0, "character": 0 });
                    let range = json!({ "start": nowhere, "end": nowhere });
                    let only = json!({ "range": range, "severity": 1, "source": "vivid-lane", "message": reason });
                    published.insert(uri_of(&root), vec![only]);
                }
            }
        }
        published.into_iter().collect()
    }

    fn read(&self, root: &Path, before: Option<Table>) -> Result<TableOnDesk, String> {
        guarded("reading the table", || read(&Overlay(&self.open), root, self.is_of_pages(root), before))?
    }

    fn is_of_pages(&self, root: &Path) -> bool {
        self.pages.iter().any(|folder| folder == root)
    }

    /// A table as it would be with other texts.
    pub(super) fn read_with(
        &self,
        root: &Path,
        texts: impl IntoIterator<Item = (PathBuf, String)>,
    ) -> Option<TableOnDesk> {
        let mut open = self.open.clone();
        open.extend(texts);
        read(&Overlay(&open), root, self.is_of_pages(root), None).ok()
    }

    /// The table as it was saved, and its declaration as it is now; nothing where they are the same.
    pub(super) fn saved_and_now(&self, table: &TableOnDesk) -> Option<(Table, TableSpec)> {
        if table.is_of_pages {
            return None;
        }
        let is_saved =
            |(path, text): (&PathBuf, &Text)| std::fs::read_to_string(path).is_ok_and(|saved| saved == **text);
        if table.texts.iter().all(is_saved) {
            return None;
        }
        let saved = TableFile::load(&Local, Some(&table.root)).ok()?.into_table().ok()?;
        Some((saved, TableFile::load(&Overlay(&self.open), Some(&table.root)).ok()?.take_spec()))
    }

    /// The first file of the table that a file belongs to.
    fn root_of(&self, path: &Path) -> PathBuf {
        if let Some(known) = self.tables.values().find(|table| table.texts.contains_key(path)) {
            return known.root.clone();
        }
        let is_page = page_files::is_page(path, &page_files::ENDINGS);
        if let Some(folder) = self.pages.iter().find(|folder| is_page && path.starts_with(folder)) {
            return folder.clone();
        }
        let system = Overlay(&self.open);
        let above = path.ancestors().skip(1).map(|folder| folder.join("routes.toml"));
        let includes = |root: &PathBuf| {
            let file = TableFile::load(&system, Some(root));
            file.is_ok_and(|file| file.texts().keys().any(|name| plain(Path::new(name)) == path))
        };
        let mut roots = above.filter(|root| root != path && system.is_file(root));
        roots.find(includes).unwrap_or_else(|| path.to_owned())
    }

    /// The table of a file, and the file.
    pub(super) fn at(&self, uri: &Json) -> Option<(&TableOnDesk, PathBuf)> {
        let path = path_of(uri.as_str()?)?;
        let table = self.tables.values().find(|table| table.texts.contains_key(&path))?;
        Some((table, path))
    }
}

fn read(system: &Overlay<'_>, root: &Path, is_of_pages: bool, before: Option<Table>) -> Result<TableOnDesk, String> {
    let as_text = |failure: Failure| failure.to_string();
    let (spec, texts) = if is_of_pages {
        let endings = page_files::ENDINGS.map(str::to_owned);
        let files = page_files::read(system, root, &endings).map_err(as_text)?.files;
        let texts =
            files.iter().map(|(name, text)| (plain(&root.join(name)), Text::new(text.as_str().into()))).collect();
        (TableSpec::from_pages(files), texts)
    } else {
        let mut file = TableFile::load(system, Some(root)).map_err(as_text)?;
        let texts =
            file.texts().iter().map(|(name, text)| (plain(Path::new(name)), Text::new(Arc::clone(text)))).collect();
        (file.take_spec(), texts)
    };
    let mentions = spec.mentions();
    let reviewed = Review::new(spec).run();
    let findings = reviewed.findings().to_vec();
    let table = reviewed.into_table();
    let is_current = table.is_some();
    let table = table.or(before);
    Ok(TableOnDesk { root: root.to_owned(), texts, findings, mentions, table, is_current, is_of_pages })
}

fn diagnostic(table: &TableOnDesk, path: &Path, finding: &Finding) -> Json {
    let severity = match finding.severity() {
        Severity::Error => 1,
        Severity::Warning => 2,
        Severity::Note => 3,
    };
    let text = table.text(path);
    let bytes = finding.place().map_or(0..0, |place| place.range());
    let mut message = finding.message().to_owned();
    if let Some(witness) = finding.witness().filter(|witness| !message.contains(*witness)) {
        message += &format!("\nfor example {witness}");
    }
    if let Some(help) = finding.help() {
        message += &format!("\n{help}");
    }
    let code = finding.code().as_str();
    let mut diagnostic = json!({
        "range": text.range(&bytes),
        "severity": severity,
        "code": code,
        "codeDescription": { "href": entry_of(finding.code()) },
        "source": "vivid-lane",
        "message": message,
    });
    // The other routes that it is about: both places of an overlap, and those that hide one.
    let is_other = |one: &&Mention| {
        one.kind() == NameKind::Route
            && one.is_declaration()
            && finding.routes().iter().any(|route| route == one.name())
            && finding
                .place()
                .is_none_or(|place| place.line() != one.place().line() || place.file() != one.place().file())
    };
    let related = |one: &Mention| {
        let path = table.file(one.place().file());
        let location = json!({ "uri": uri_of(&path), "range": table.text(&path).range(&one.place().range()) });
        json!({ "location": location, "message": format!("the route `{}`", one.name()) })
    };
    if finding.routes().len() > 1 {
        diagnostic["relatedInformation"] = table.mentions.iter().filter(is_other).map(related).collect();
    }
    diagnostic
}

/// A path without `.` and `..`.
pub(super) fn plain(path: &Path) -> PathBuf {
    let mut out = PathBuf::new();
    for part in path.components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir => {
                out.pop();
            }
            other => out.push(other),
        }
    }
    out
}

/// The path of a `file` URI (RFC 8089).
pub(super) fn path_of(uri: &str) -> Option<PathBuf> {
    let path = uri.strip_prefix("file://")?;
    let path = percent_decode_str(path).decode_utf8().ok()?;
    // A drive stands behind a slash.
    let path = if cfg!(windows) { path.trim_start_matches('/').replace('/', "\\") } else { path.into_owned() };
    Some(plain(Path::new(&path)))
}

pub(super) fn uri_of(path: &Path) -> String {
    let path = path.to_string_lossy().replace('\\', "/");
    let root = if path.starts_with('/') { "" } else { "/" };
    format!("file://{root}{}", utf8_percent_encode(&path, PATH))
}
