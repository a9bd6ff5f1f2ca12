//! The chapters of the guide about browsers: their blocks compile, and print what the chapter says.

use std::collections::BTreeMap;

use vivid_lane::Table;
use vivid_lane_exchange::typescript::{self, Form};

use crate::types::compile;
use crate::workshop::{Workshop, write};

const CHAPTER: &str = include_str!("../../../../docs/guide/12-browser.md");
const DATA: &str = include_str!("../../../../docs/guide/13-data-and-waiting.md");

/// The blocks that open with the name of their file in a comment.
fn blocks(chapter: &'static str) -> BTreeMap<&'static str, &'static str> {
    let parts = chapter.split("```").skip(1).step_by(2);
    let named = parts.filter_map(|block| {
        let (_, body) = block.split_once('\n')?;
        let (first, _) = body.split_once('\n')?;
        let name = first.strip_prefix("# ").or_else(|| first.strip_prefix("// "))?;
        Some((name, body))
    });
    named.collect()
}

/// The folder of a chapter, with its modules and programs, which compile.
fn compiled(chapter: &'static str, name: &str, programs: &[&str]) -> Workshop {
    let workshop = Workshop::new(name);
    let blocks = blocks(chapter);
    let table = Table::from_toml(blocks["routes.toml"]).expect("the table of the chapter can be built");
    std::fs::create_dir_all(workshop.folder.join("src/routes")).expect("the folders can be made");
    for file in typescript::files(&table, Form { browser: true, ..Form::default() }).files {
        write(&workshop.folder.join("src/routes").join(file.name), &file.text);
    }
    for name in programs {
        write(&workshop.folder.join(name), blocks[name]);
    }
    let (is_right, said) = compile(&workshop, &["--lib", "es2022,dom,dom.iterable"], programs);
    assert!(is_right, "{said}");
    workshop
}

#[test]
fn the_chapter_compiles_and_prints_what_it_says() {
    let workshop = compiled(CHAPTER, "guide", &["src/links.ts", "src/main.ts"]);
    let (has_run, printed) = workshop.node("out/links.js");
    assert!(has_run, "{printed}");
    assert!(CHAPTER.contains(&format!("It prints `{}`", printed.trim())), "{printed}");
}

#[test]
fn the_chapter_on_data_compiles() {
    compiled(DATA, "guide-data", &["src/main.ts"]);
}
