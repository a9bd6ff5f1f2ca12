//! The file of a table: what it imports, its types, its parameters, its lines, and what holds for the whole site.

use std::collections::{BTreeMap, BTreeSet};

use vivid_lane::declare::{Case, Slash};
use vivid_lane::lookup::{Export, ParamKind, Side};
use vivid_lane::{RouteRef, Table};

use super::lines::Lines;
use super::params::{Params, Step};
use super::rules::Rules;
use super::types::{self, is_word};
use super::{File, Form, text, ways};
use crate::note::Notes;

const FOLLOWS_TS: &str = include_str!("../../typescript/dist/follows.ts");
const FOLLOWS_JS: &str = include_str!("../../typescript/dist/follows.js");
const FOLLOWS_D_TS: &str = include_str!("../../typescript/dist/follows.d.ts");

const HEADER: &str = "// The routes of a table, made by `vivid-lane convert --to typescript`.\n\
    // A change belongs into the table; then make this file again.\n\n";

/// What the functions of every table need of the runtime.
const FUNCTIONS: &[&str] = &[
    "Table",
    "absoluteIn",
    "activityIn",
    "addressAt",
    "dataIn",
    "decideAsyncIn",
    "decideIn",
    "framesIn",
    "levelsAt",
    "linkFromIn",
    "linkIn",
    "matchIn",
    "notFoundIn",
    "placeIn",
    "returnAddressAsyncIn",
    "returnAddressIn",
    "sentIn",
    "transitionIn",
    "upIn",
    "valuesOfFields",
];

/// The default limits of the runtime.
const BYTES: usize = 8192;
const SEGMENTS: usize = 128;

/// Writes the file of a table, or those of it.
pub(super) fn write(table: &Table, form: Form, notes: &mut Notes) -> Vec<File> {
    let export = table.export();
    let ways = ways::of(&export);
    let routes: Vec<RouteRef<'_>> = table.routes().collect();
    let lines = Lines::new(&routes, &export, &ways);
    let mut rules = Rules { export: &export, notes, imports: FUNCTIONS.iter().copied().collect() };
    let cuts = Cuts::of(&export);
    let params = Params::new(table, &mut rules, &cuts.rules);
    let of_routes: Vec<String> =
        routes.iter().enumerate().map(|(at, route)| lines.line(at, *route, &mut rules)).collect();
    let mut site = Site { table, export: &export, params: &params, lines: &lines, rules: &mut rules, cuts: &cuts };
    let entries = site.entries();
    let tools = site.tools();
    let of_decisions = site.decisions();

    let key = |name: &str| if is_word(name) { name.to_owned() } else { text(name) };
    let shared = params.shared.iter();
    let shared: String = shared.map(|(name, written)| format!("const {name} = /* @__PURE__ */ {written};\n")).collect();
    let of_params = params.entries.iter();
    let of_params: String = of_params.map(|(name, written)| format!("  {}: {written},\n", key(name))).collect();
    let body = |(params_type, lines_type, tools_type, shorten_type, parts_type): (&str, &str, &str, &str, &str)| {
        format!(
            "/** The parameters: the narrower before the wider, where both fit a segment. */\n\
             const params = (){params_type} => ({{\n{of_params}}});\n\n\
             /** The routes: name, page, the path below the route whose name comes before the last dot, and what few have. */\n\
             const lines{lines_type} = [\n{}\n];\n\n\
             const table = /* @__PURE__ */ new Table({}, lines, /* @__PURE__ */ params(), {{{}}});\n\
             const tools{tools_type} = {{{tools}}};\n\
             const shorten{shorten_type} = {};\n\
             const parts{parts_type} = {{{}}};\n\n",
            of_routes.join("\n"),
            text(env!("CARGO_PKG_VERSION")),
            wrapped(&entries),
            of_decisions.shorten,
            of_decisions.parts,
        )
    };
    let imports: Vec<&str> = rules.imports.iter().copied().collect();
    let imports = format!("import {{\n  {},\n}} from \"./runtime.js\";\n", imports.join(", "));
    let mut types = String::new();
    types::write(&mut types, &routes, table);
    if form.javascript {
        let javascript = format!("{HEADER}{imports}\n{shared}\n{}{FOLLOWS_JS}", body(("", "", "", "", "")));
        let declarations =
            format!("{HEADER}import type * as T from \"./runtime.js\";\n\n{types}\n{FOLLOWS_D_TS}\nexport {{}};\n");
        return vec![File { name: "table.js", text: javascript }, File { name: "table.d.ts", text: declarations }];
    }
    let typed = (": T.Params", ": readonly T.Line[]", ": T.Tools", ": T.Shorten | undefined", ": T.DecisionParts");
    let imports = format!("{imports}import type * as T from \"./runtime.js\";\n");
    let typescript = format!("{HEADER}{imports}\n{types}\n{shared}\n{}{FOLLOWS_TS}", body(typed));
    vec![File { name: "table.ts", text: typescript }]
}

/// Whether a character of a template is in a URL as it is.
fn is_as_it_is(one: char) -> bool {
    one.is_ascii_alphanumeric() || "-._~/{}?&=,;:@!$'()*+".contains(one)
}

/// Entries of an object, on lines of their own where there are any.
fn wrapped(entries: &[String]) -> String {
    if entries.is_empty() {
        String::new()
    } else {
        format!("\n{}\n", entries.iter().map(|entry| format!("  {entry},")).collect::<Vec<_>>().join("\n"))
    }
}

/// The segments that are cut into pieces, and the rules by whose automata this is done.
struct Cuts {
    has_pieces: bool,
    /// Whether the texts beside values say where each ends.
    are_apart: bool,
    has_marks: bool,
    rules: BTreeSet<usize>,
    /// The rules that are read in segments with marks.
    marked: BTreeSet<usize>,
}

impl Cuts {
    fn of(export: &Export) -> Self {
        let mut cuts = Self {
            has_pieces: false,
            are_apart: true,
            has_marks: false,
            rules: BTreeSet::new(),
            marked: BTreeSet::new(),
        };
        let of_hosts = export.routes.iter().filter_map(|route| route.host.as_ref());
        let of_hosts = of_hosts.map(|host| {
            let pieces = host.pieces.iter().map(|piece| piece.clone().map_err(|(rule, _)| rule));
            (true, pieces.collect::<Vec<Result<String, usize>>>())
        });
        for (is_host, pieces) in export.patterns.iter().map(|pattern| (false, pattern.clone())).chain(of_hosts) {
            let rules: Vec<usize> = pieces.iter().filter_map(|piece| piece.as_ref().err().copied()).collect();
            let is_joined = rules.iter().any(|rule| export.rules[*rule].join.is_some());
            let is_long = pieces.len() > 2 || rules.len() > 1;
            if pieces.len() > 1 && !is_host {
                cuts.has_pieces = true;
                let is_any = |rule: &usize| {
                    let rule = &export.rules[*rule];
                    rule.automaton.is_none() && rule.list.is_none()
                };
                // Texts are between values of any text, the last of which ends the segment.
                let alternates = pieces.windows(2).all(|pair| pair[0].is_ok() != pair[1].is_ok());
                let is_between = alternates && pieces.last().is_some_and(Result::is_err) && rules.iter().all(is_any);
                cuts.are_apart &= !is_joined && (!is_long || is_between);
                cuts.has_marks |= is_joined;
            }
            // One value, alone or with one text beside it, is found by that text.
            if is_long {
                cuts.rules.extend(&rules);
                if is_joined {
                    cuts.marked.extend(&rules);
                }
            }
        }
        cuts
    }
}

/// What only some tables need to decide.
struct OfDecisions {
    /// The function that finds the shorter address of a page, where a match alone cannot decide whether there is one.
    shorten: &'static str,
    parts: String,
}

struct Site<'w, 'n> {
    table: &'w Table,
    export: &'w Export,
    params: &'w Params,
    lines: &'w Lines<'w>,
    rules: &'w mut Rules<'n>,
    cuts: &'w Cuts,
}

impl Site<'_, '_> {
    fn has_kind(&self, is_it: impl Fn(vivid_lane::lookup::Parameter<'_>) -> bool) -> bool {
        self.table.routes().any(|route| route.parameters().any(&is_it))
    }

    /// Whether one URL may have several ways.
    fn has_several(&self) -> bool {
        self.export.nodes.iter().any(|node| !node.is_ordered || node.leaves.len() > 1)
    }

    /// What holds for the whole site.
    fn entries(&mut self) -> Vec<String> {
        let (table, export) = (self.table, self.export);
        let mut entries = Vec::new();
        if let Some(origin) = table.origin() {
            entries.push(format!("origin: {}", text(origin)));
        }
        if table.is_in_fragment() {
            let fragment = self.rules.import("fragment");
            entries.push(format!("locate: /* @__PURE__ */ {fragment}({})", text(table.base())));
        } else if !table.base().is_empty() {
            entries.push(format!("base: {}", text(table.base())));
        }
        let slash = match table.slash() {
            Slash::Never => 0,
            Slash::Always => 1,
            Slash::Either => 2,
        };
        for (key, value, usual) in
            [("slash", slash, 0), ("bytes", table.longest_url(), BYTES), ("segments", export.most_segments, SEGMENTS)]
        {
            if value != usual {
                entries.push(format!("{key}: {value}"));
            }
        }
        if let Some(frame) = table.frame() {
            entries.push(format!("frame: {}", text(frame)));
        }
        if let Some(fallback) = table.fallback() {
            entries.push(format!("fallback: {}", text(fallback)));
        }
        let needs = table.needs().map(|need| {
            let otherwise =
                table.need_otherwise(need).map_or_else(|| "undefined".to_owned(), |route| text(route.name()));
            format!("{}: {otherwise}", text(need))
        });
        let needs: Vec<String> = needs.collect();
        if !needs.is_empty() {
            entries.push(format!("needs: {{ {} }}", needs.join(", ")));
        }
        self.order(&mut entries);
        let folds = export.case == Case::Fold;
        if folds {
            entries.push(format!("fold: {}", self.rules.import("lowerCase")));
        }
        if folds || self.has_kind(|param| param.kind() == ParamKind::Rest) {
            entries.push(format!("respelt: {}", self.rules.import("respelt")).replace("respelt: respelt", "respelt"));
        }
        if self.cuts.has_pieces {
            let cut = self.rules.import(if self.cuts.are_apart { "apart" } else { "cut" });
            entries.push(format!("pieces: {cut}"));
        }
        let automata = self.cuts.rules.iter().filter_map(|&rule| {
            let automaton = self.rules.cut(rule, self.cuts.marked.contains(&rule))?;
            Some((self.params.written(self.export, rule).to_owned(), automaton))
        });
        let automata: BTreeMap<String, String> = automata.collect();
        if !automata.is_empty() {
            let pairs = automata.iter().map(|(rule, automaton)| format!("[{rule}, {automaton}]"));
            entries.push(format!("cuts: /* @__PURE__ */ new Map([{}])", pairs.collect::<Vec<_>>().join(", ")));
        }
        if self.cuts.has_marks {
            entries.push(self.rules.import("marks").to_owned());
        }
        self.several(&mut entries);
        if table.has_hosts() {
            entries.push(format!("host: {}", self.rules.import("isHostOf")));
        }
        entries
    }

    /// What a pattern is called.
    fn key(&self, pattern: usize) -> String {
        let pieces = &self.export.patterns[pattern];
        let piece = |piece: &Result<String, usize>| match piece {
            Ok(literal) => literal.replace('%', "%25").replace('/', "%2F").replace('{', "%7B").replace('}', "%7D"),
            Err(rule) => self.params.key(self.export, *rule),
        };
        pieces.iter().map(piece).collect()
    }

    /// The order of segments, where that of the parameters does not say it.
    fn order(&mut self, entries: &mut Vec<String>) {
        let ranks: BTreeMap<String, usize> =
            self.params.entries.iter().enumerate().map(|(rank, (name, _))| (format!("{{{name}}}"), rank + 1)).collect();
        // Segments of several pieces come first, in the order in which they are declared.
        let is_in_order = |node: &vivid_lane::lookup::ExportedNode| {
            let edges: Vec<(usize, String)> = node
                .edges
                .iter()
                .map(|(pattern, _)| self.key(*pattern))
                .map(|key| (ranks.get(&key).copied().unwrap_or(0), key))
                .collect();
            edges.windows(2).all(|pair| pair[0].0 < pair[1].0 || pair[0].1 == pair[1].1)
        };
        let has_number = |(name, _): &(String, String)| name.bytes().all(|byte| byte.is_ascii_digit());
        if self.export.nodes.iter().all(is_in_order) && !self.params.entries.iter().any(has_number) {
            return;
        }
        let key = |step: &Step| text(&(self.key(step.pattern) + if step.is_tail { "*" } else { "" }));
        let keys: Vec<String> = self.params.order.iter().map(|step| format!("    {},\n", key(step))).collect();
        let ranked = self.rules.import("ranked");
        entries.push(format!("rank: /* @__PURE__ */ {ranked}(\n{}  )", keys.concat()));
    }

    /// Which of several ways is the narrowest.
    fn several(&mut self, entries: &mut Vec<String>) {
        if !self.has_several() {
            return;
        }
        // The module compares segments by their rank outside of tails.
        let order = self.params.order.iter().enumerate().map(|(rank, step)| (step, rank));
        let mut ranks: BTreeMap<String, usize> = BTreeMap::new();
        for (step, rank) in order {
            let key = self.key(step.pattern);
            if !step.is_tail || !ranks.contains_key(&key) {
                ranks.insert(key, rank);
            }
        }
        let pair = |left: String, right: String, side: Side, is_usual: bool| match side {
            Side::Left | Side::Right if is_usual => None,
            Side::Left => Some(format!("[{}, {}]", text(&left), text(&right))),
            Side::Right => Some(format!("[{}, {}]", text(&right), text(&left))),
            Side::Same => Some(format!("[{}, {}, 1]", text(&left), text(&right))),
            Side::Neither => Some(format!("[{}, {}, 2]", text(&left), text(&right))),
        };
        let steps = self.export.pattern_order.iter().filter_map(|&(left, right, side)| {
            let (left, right) = (self.key(left), self.key(right));
            let is_usual = matches!(side, Side::Left) == (ranks.get(&left) < ranks.get(&right));
            pair(left.clone(), right.clone(), side, is_usual).filter(|_| left != right)
        });
        let steps: BTreeSet<String> = steps.collect();
        let single: BTreeSet<String> =
            self.export.single_patterns.iter().map(|pattern| text(&self.key(*pattern))).collect();
        let ends = self.export.leaf_order.iter().filter_map(|&(left, right, side)| {
            pair(self.lines.end(left).to_owned(), self.lines.end(right).to_owned(), side, false)
        });
        let ends: BTreeSet<String> = ends.collect();
        let list = |items: BTreeSet<String>| items.into_iter().collect::<Vec<_>>().join(", ");
        let several = self.rules.import("several");
        let ends: Vec<String> = ends.into_iter().map(|pair| format!("\n    {pair},")).collect();
        let ends = if ends.is_empty() { String::new() } else { format!("{}\n  ", ends.concat()) };
        entries.push(format!("several: /* @__PURE__ */ {several}([{}], [{}], [{ends}])", list(steps), list(single),));
    }

    /// What links need.
    fn tools(&mut self) -> String {
        let mut tools = Vec::new();
        let is_page = |route: &RouteRef<'_>| route.page().is_some() && route.redirect_status().is_none();
        let mut pages = self.table.routes().enumerate().filter(|(_, route)| is_page(route));
        if pages.any(|(at, route)| self.lines.is_checked(at, route)) {
            tools.push(self.rules.import("readBack").to_owned());
        }
        if self.has_kind(|param| !matches!(param.shape(), vivid_lane::lookup::Shape::One)) {
            tools.push(self.rules.import("lists").to_owned());
        }
        if self.table.has_hosts() {
            tools.push(format!("host: {}", self.rules.import("hosts")));
        }
        let templates = || self.table.routes().map(|route| route.path().as_str());
        let has_gaps = |template: &str| {
            let expressions = template.split('{').skip(1).filter_map(|rest| rest.split_once('}'));
            expressions.map(|(inner, _)| inner).any(|inner| inner.starts_with(['/', '.']) && inner.contains(','))
        };
        if templates().any(has_gaps) {
            tools.push(self.rules.import("fillGaps").to_owned());
        }
        let is_raw = |template: &str| {
            template.contains("{+") || template.contains("{#") || template.contains(|one: char| !is_as_it_is(one))
        };
        let urls = self.table.routes().filter_map(RouteRef::redirects_to_url).any(|url| is_raw(url.as_str()));
        if urls || templates().any(is_raw) {
            tools.push(self.rules.import("raw").to_owned());
        }
        if tools.is_empty() { String::new() } else { format!(" {} ", tools.join(", ")) }
    }

    fn decisions(&mut self) -> OfDecisions {
        // A default in the query is left out without a doubt where no other route may answer.
        let has_default =
            |param: vivid_lane::lookup::Parameter<'_>| param.is_optional() && param.default_value().is_some();
        let of_path = |kind| matches!(kind, ParamKind::Segment | ParamKind::Items | ParamKind::Rest);
        let may_be_short = self.has_kind(|param| has_default(param) || param.kind() == ParamKind::Query);
        let is_doubtful =
            may_be_short && (self.has_several() || self.has_kind(|param| has_default(param) && of_path(param.kind())));
        let mut parts = Vec::new();
        let shorten = if is_doubtful { "/* @__PURE__ */ shortener(tools)" } else { "undefined" };
        if may_be_short {
            let shortener = self.rules.import("shortener");
            parts.push(if is_doubtful {
                "shorten".to_owned()
            } else {
                format!("shorten: /* @__PURE__ */ {shortener}(tools)")
            });
        }
        if self.table.routes().any(|route| route.redirect_status().is_some()) {
            parts.push(format!("redirected: /* @__PURE__ */ {}(tools)", self.rules.import("redirector")));
        }
        if self.table.needs().any(|need| self.table.need_otherwise(need).is_some()) {
            parts.push(format!("signInAt: /* @__PURE__ */ {}(tools)", self.rules.import("signIn")));
        }
        let parts = if parts.is_empty() { String::new() } else { format!(" {} ", parts.join(", ")) };
        OfDecisions { shorten, parts }
    }
}
