//! A folder of page files → declared table: each file is a route.

use super::code::Code;
use std::collections::{BTreeMap, HashSet};

use super::finding::Report;
use super::keys;
use super::node::{Entry, NodeKind};
use super::source::{Origin, Placed, Source, Span};
use super::spec::{RouteSpec, TableSpec};
use super::{read, syntax};

impl TableSpec {
    /// Makes a declaration from page files, given as paths, with `/` between the parts, and texts. The path of a file,
    /// without its suffix, is the path of its page: `nights/{date}.html` answers `/nights/{date}`.
    ///
    /// - `index` is the page of its folder; `frame` a wrapper around all pages in it, `fallback` the page for what is
    ///   missing there.
    /// - Parts in braces are expressions of a URI Template; all else is taken literally.
    /// - A text may begin with front matter, YAML between lines of `---` or TOML between lines of `+++`. Its key `route`
    ///   holds keys of a route, such as `params` or `needs`, and `path` in place of the file's own name; what else it holds
    ///   is the route's data.
    ///
    /// The order of the files does not matter. What is wrong with them is reported by [`build`](Self::build).
    ///
    /// # Example
    /// ```
    /// use vivid_lane::TableSpec;
    ///
    /// let table = TableSpec::from_pages([
    ///     ("nights/index.html", "<h1>Nights</h1>"),
    ///     ("nights/{date}.html", "---\nroute: { params: { date: date } }\n---\n<h1>A night</h1>"),
    /// ])
    /// .build()?;
    /// assert_eq!(table.find("/nights/2031-04-02").unwrap().page(), "nights/{date}.html");
    /// assert!(table.find("/nights/2031-02-30").is_none());
    /// assert_eq!(table.link("nights.date").set("date", "2031-04-02").to_url().unwrap(), "/nights/2031-04-02");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn from_pages<P: Into<String>, T: Into<String>>(files: impl IntoIterator<Item = (P, T)>) -> Self {
        let files: BTreeMap<String, String> =
            files.into_iter().map(|(path, text)| (path.into(), text.into())).collect();
        let mut gathered = Gathered { report: Report::default(), root: Folder::default() };
        for (path, text) in files {
            gathered.file(path, text);
        }
        let Gathered { mut report, root } = gathered;
        let mut table = Self::new();
        table.site.frame = root.frame.clone().map(Placed::from);
        table.site.fallback = root.fallback.clone().map(Placed::from);
        let index = root.page.as_ref().map(|page| page.route("index", "/", &mut report));
        table.routes.extend(index);
        let taken = if table.routes.is_empty() { HashSet::new() } else { HashSet::from(["index".to_owned()]) };
        table.routes.extend(root.routes(taken, &mut report));
        table.report = report;
        table
    }
}

/// What a folder holds.
#[derive(Default)]
struct Folder {
    page: Option<Page>,
    frame: Option<String>,
    fallback: Option<String>,
    /// What is in it, by the part of the path that it stands for.
    inside: BTreeMap<String, Folder>,
}

/// A file that is a page.
struct Page {
    file: String,
    origin: std::sync::Arc<Origin>,
    /// What its front matter says of the route, and the rest of it.
    route: Option<Entry>,
    data: Vec<Entry>,
}

struct Gathered {
    report: Report,
    root: Folder,
}

impl Gathered {
    fn file(&mut self, path: String, text: String) {
        let origin = Origin::new(Source::yaml(text).named(path.as_str()));
        let here = Span::new(&origin, 0..0);
        let parts: Vec<&str> = path.split('/').collect();
        let wrong = parts.iter().find(|part| {
            matches!(**part, "" | "." | "..") || part.contains('\\') || part.chars().any(char::is_control)
        });
        if let Some(wrong) = wrong {
            let (part, file) = (wrong.escape_debug(), path.escape_debug());
            self.report
                .add(
                    Code::FileName,
                    Some(&here),
                    format!("`{part}` in the name of the file `{file}` cannot be a part of a path"),
                )
                .help_with(
                    "a part has one character or more, none of them `\\` or a control character; rename the file",
                );
            return;
        }
        let Some((name, folders)) = parts.split_last() else { return };
        let stem = stem(name);
        if matches!(stem, "." | "..") {
            let message =
                format!("`{stem}` in the name of the file `{}` cannot be a part of a path", path.escape_debug());
            self.report.add(Code::FileName, Some(&here), message).help_with("rename the file");
            return;
        }
        let mut folder = &mut self.root;
        for part in folders {
            folder = folder.inside.entry((*part).to_owned()).or_default();
        }
        let place = match stem {
            "frame" | "fallback" => {
                let slot = if stem == "frame" { &mut folder.frame } else { &mut folder.fallback };
                match slot {
                    Some(first) => same(&mut self.report, first, &path, &here, "a folder has one of each"),
                    None => *slot = Some(path),
                }
                return;
            }
            "index" => &mut folder.page,
            stem => &mut folder.inside.entry(stem.to_owned()).or_default().page,
        };
        match place {
            Some(first) => same(&mut self.report, &first.file, &path, &here, "both are the page of one URL"),
            None => *place = Some(Page::read(path.clone(), &origin, &mut self.report)),
        }
    }
}

fn same(report: &mut Report, first: &str, second: &str, here: &Span, why: &str) {
    let message =
        format!("the files `{}` and `{}` exclude each other: {why}", first.escape_debug(), second.escape_debug());
    report.add(Code::SamePage, Some(here), message).help_with("rename or remove one of them");
}

/// A file's name without its suffix, which begins at the last dot outside of braces.
fn stem(name: &str) -> &str {
    let mut depth = 0_usize;
    let mut end = name.len();
    for (at, byte) in name.bytes().enumerate() {
        match byte {
            b'{' => depth += 1,
            b'}' => depth = depth.saturating_sub(1),
            b'.' if depth == 0 && at > 0 => end = at,
            _ => {}
        }
    }
    &name[..end]
}

impl Page {
    fn read(file: String, origin: &std::sync::Arc<Origin>, report: &mut Report) -> Self {
        let mut page = Self { file, origin: std::sync::Arc::clone(origin), route: None, data: Vec::new() };
        for entry in front_matter(origin, report) {
            if entry.key == "route" {
                page.route = Some(entry);
            } else {
                page.data.push(entry);
            }
        }
        page
    }

    /// The route of the page.
    fn route(&self, name: &str, path: &str, report: &mut Report) -> RouteSpec {
        let here = Span::new(&self.origin, 0..0);
        let mut route = self.route.clone().map_or_else(RouteSpec::default, |entry| declared(entry, report));
        route.name = Placed::new(name.into(), here.clone());
        route.path.get_or_insert_with(|| Placed::new(path.into(), here.clone()));
        route.page = Some(Placed::new(self.file.as_str().into(), here));
        let entry = |entry: &Entry| (entry.key.to_string(), entry.value.clone().into_data());
        if let super::data::Data::Table(entries) = &mut route.extras.data {
            entries.extend(self.data.iter().map(entry));
        }
        route
    }
}

/// What front matter says of the route: keys of a route, but for what the files themselves say.
fn declared(entry: Entry, report: &mut Report) -> RouteSpec {
    if let NodeKind::Table(entries) = &entry.value.kind {
        for inner in entries {
            let is_files = matches!(inner.key.as_str(), "page" | "include" | "fallback" | "frame");
            let is_child = !keys::names(keys::ROUTE).contains(&inner.key.as_str());
            if is_files || (is_child && matches!(inner.value.kind, NodeKind::Table(_))) {
                report
                    .add(
                        Code::FrontMatter,
                        Some(&inner.span),
                        format!("the files decide `{}`, so front matter cannot set it", inner.key.escape_debug()),
                    )
                    .help_with("a page, a frame, a fallback and the routes of a folder are files of their own");
            }
        }
    }
    read::route(entry, report)
}

/// The entries of the front matter of a text: YAML between `---`, or TOML between `+++`.
fn front_matter(origin: &std::sync::Arc<Origin>, report: &mut Report) -> Vec<Entry> {
    let text = origin.text().strip_prefix('\u{feff}').unwrap_or(origin.text());
    let skipped = origin.text().len() - text.len();
    let line_end = |from: usize| text[from..].find('\n').map_or(text.len(), |at| from + at + 1);
    let first = line_end(0);
    let mark = text[..first].trim_end();
    if !matches!(mark, "---" | "+++") || !text[..first].ends_with('\n') {
        return Vec::new();
    }
    let mut at = first;
    while at < text.len() {
        let end = line_end(at);
        if text[at..end].trim_end() == mark {
            // The lines before it stay, emptied, so that places are those of the file.
            let body = format!("{}{}", " ".repeat(skipped + first - 1) + "\n", &text[first..at]);
            let source = if mark == "---" { Source::yaml(body) } else { Source::toml(body) };
            let name = origin.name().unwrap_or_default();
            let syntax = source.syntax;
            let inner = Origin::new(source.named(name));
            return if at == first { Vec::new() } else { syntax::read(syntax, &inner, false, report) };
        }
        at = end;
    }
    let span = Span::new(origin, skipped..skipped + mark.len());
    report
        .add(Code::FrontMatter, Some(&span), format!("the front matter that begins with `{mark}` has no end"))
        .help_with(format!("close it with a line `{mark}`"));
    Vec::new()
}

impl Folder {
    /// The routes in the folder.
    fn routes(&self, mut taken: HashSet<String>, report: &mut Report) -> Vec<RouteSpec> {
        let mut routes = Vec::new();
        let mut variants: BTreeMap<String, &str> = BTreeMap::new();
        for (part, inside) in &self.inside {
            let wanted = route_name(part);
            let name = free(&wanted, &mut taken);
            let path = format!("/{}", template(part));
            let mut route = match &inside.page {
                Some(page) => page.route(&name, &path, report),
                None => RouteSpec { path: Some(path.clone().into()), ..RouteSpec::new(name.as_str()) },
            };
            if let (Some(page), true) = (&inside.page, route.params.is_empty()) {
                let first = *variants
                    .entry(variant(route.path.as_ref().map_or(&path, |path| &path.value)))
                    .or_insert(&page.file);
                if first != page.file {
                    let here = Span::new(&page.origin, 0..0);
                    same(report, first, &page.file, &here, "both are the page of one URL");
                }
            }
            if name != wanted {
                let message =
                    format!("the route of `{}` is named `{name}`, as `{wanted}` is taken", part.escape_debug());
                report.add(Code::Renamed, None, message);
            }
            route.extras.frame = inside.frame.clone().map(Placed::from);
            route.extras.fallback = inside.fallback.clone().map(Placed::from);
            route.routes = inside.routes(HashSet::new(), report);
            if inside.page.is_some() || !route.routes.is_empty() {
                routes.push(route);
            } else {
                let message = format!(
                    "the folder `{}` has no page in it, so its frame and fallback are not used",
                    part.escape_debug()
                );
                report.add(Code::NoPage, None, message);
            }
        }
        routes
    }
}

/// The name of the route of a file or folder: `date` for `{date}`, `M-number` for `M{number}`.
fn route_name(part: &str) -> String {
    let mut name = String::new();
    for c in part.chars() {
        if c.is_alphanumeric() || matches!(c, '_' | '-') {
            name.push(c);
        } else if !name.is_empty() && !name.ends_with('-') {
            name.push('-');
        }
    }
    let name = name.trim_matches('-');
    if name.is_empty() { "route".to_owned() } else { name.to_owned() }
}

/// The name, or the first of `name-2`, `name-3` and so on that no sibling has and no key of a route is.
fn free(name: &str, taken: &mut HashSet<String>) -> String {
    let is_key = keys::names(keys::ROUTE).contains(&name);
    let mut free = name.to_owned();
    let mut number = 2;
    while taken.contains(&free) || (is_key && free == name) {
        free = format!("{name}-{number}");
        number += 1;
    }
    taken.insert(free.clone());
    free
}

/// A part of a path as a template: expressions as they are, all else literally.
fn template(part: &str) -> String {
    let mut out = String::with_capacity(part.len());
    let mut rest = part;
    while let Some(c) = rest.chars().next() {
        if let Some(end) = rest.find('}').filter(|_| c == '{') {
            out.push_str(&rest[..=end]);
            rest = &rest[end + 1..];
            continue;
        }
        if " \"%<>\\^`{|}?#".contains(c) {
            out.push_str(&format!("%{:02X}", u32::from(c)));
        } else {
            out.push(c);
        }
        rest = &rest[c.len_utf8()..];
    }
    out
}

/// A template without the names of its values.
fn variant(template: &str) -> String {
    let mut out = String::with_capacity(template.len());
    let mut is_name = false;
    for c in template.chars() {
        is_name &= c != '}';
        if !is_name || !(c.is_alphanumeric() || c == '_') {
            out.push(c);
        }
        is_name |= c == '{';
    }
    out
}
