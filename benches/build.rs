//! Writes a nested `match` over the split path for some tables, as a programmer would write it by hand.

#[allow(dead_code, unreachable_pub, reason = "the benches use all of it")]
#[path = "src/tables.rs"]
mod tables;

use std::collections::BTreeMap;
use std::fmt::Write;

use tables::{Corpus, Kind, Segment};

/// What follows after some segments.
#[derive(Default)]
struct Node {
    literals: BTreeMap<String, Node>,
    params: Vec<(Kind, Node)>,
    ends: Option<usize>,
    tail: Option<usize>,
}

fn main() {
    println!("cargo:rerun-if-changed=build.rs");
    println!("cargo:rerun-if-changed=src/tables.rs");
    if std::env::var_os("CARGO_FEATURE_COUNT").is_none() {
        return;
    }
    let mut code = String::new();
    let corpora = [tables::rest(), tables::generated(10), tables::generated(100), tables::generated(1000)];
    for corpus in &corpora {
        function(&mut code, corpus);
    }
    code.push_str("/// The function for a table of that name, where there is one.\npub fn nested(name: &str) -> Option<fn(&str) -> Option<(usize, Captured<'_>)>> {\n    match name {\n");
    for corpus in &corpora {
        let _ = writeln!(code, "        {:?} => Some(nested_{}),", corpus.name, corpus.name.to_lowercase());
    }
    code.push_str("        _ => None,\n    }\n}\n");
    let out = std::env::var_os("OUT_DIR").expect("cargo sets it");
    std::fs::write(std::path::Path::new(&out).join("nested.rs"), code).expect("the folder can be written");
}

fn function(code: &mut String, corpus: &Corpus) {
    let mut root = Node::default();
    for (index, route) in corpus.routes.iter().enumerate() {
        let mut at = &mut root;
        let mut is_tail = false;
        for segment in route {
            at = match segment {
                Segment::Literal(text) => at.literals.entry(text.clone()).or_default(),
                Segment::Param(_, Kind::Tail) => {
                    is_tail = true;
                    break;
                }
                Segment::Param(_, kind) => {
                    if *kind == Kind::Optional {
                        at.ends = Some(index);
                    }
                    let known = at.params.iter().position(|(known, _)| known == kind).unwrap_or_else(|| {
                        at.params.push((*kind, Node::default()));
                        at.params.len() - 1
                    });
                    &mut at.params[known].1
                }
            };
        }
        if is_tail { at.tail = Some(index) } else { at.ends = Some(index) }
    }
    let name = corpus.name.to_lowercase();
    let _ = writeln!(
        code,
        "fn nested_{name}(path: &str) -> Option<(usize, Captured<'_>)> {{\n    let mut parts = [\"\"; 16];\n    let mut count = 0;\n    \
         for part in path.strip_prefix('/')?.split('/') {{\n        *parts.get_mut(count)? = part;\n        count += 1;\n    }}\n    \
         let parts = &parts[..count];"
    );
    node(code, &root, 0, &mut Vec::new());
    code.push_str("\n}\n");
}

fn node(code: &mut String, node: &Node, depth: usize, captured: &mut Vec<usize>) {
    let answer = |index: usize, captured: &[usize], tail: Option<usize>| {
        let mut values: Vec<String> = captured.iter().map(|at| format!("parts[{at}]")).collect();
        values.extend(tail.map(|from| format!("rest(path, parts[{from}])")));
        format!("Some(({index}, captured(&[{}])))", values.join(", "))
    };
    let _ = writeln!(code, "match parts.get({depth}) {{");
    let end = node.ends.map_or_else(|| "None".to_owned(), |index| answer(index, captured, None));
    let _ = writeln!(code, "None => {end},");
    for (text, child) in &node.literals {
        let _ = write!(code, "Some(&{text:?}) => ");
        self::node(code, child, depth + 1, captured);
        code.push_str(",\n");
    }
    for (kind, child) in &node.params {
        let guard = match kind {
            Kind::Integer => "if is_integer(part)",
            Kind::Date => "if is_date(part)",
            Kind::Any | Kind::Optional | Kind::Tail => "if !part.is_empty()",
        };
        let _ = write!(code, "Some(part) {guard} => ");
        captured.push(depth);
        self::node(code, child, depth + 1, captured);
        captured.pop();
        code.push_str(",\n");
    }
    let (guard, tail) = match node.tail {
        Some(index) => ("Some(part) if !part.is_empty()", answer(index, captured, Some(depth))),
        None => ("Some(_)", "None".to_owned()),
    };
    let _ = writeln!(code, "{guard} => {tail},");
    if node.tail.is_some() {
        code.push_str("Some(_) => None,\n");
    }
    code.push('}');
}
