//! Tables to call the tool on.

use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRng, TestRunner};
use toml::{Table as Toml, Value as Data};
use vivid_lane::declare::{Overlaps, Syntax};
use vivid_lane_exchange::write_table;

use crate::reference::model::{route, table, url};
use crate::reference::nested::{self, level};

const FOLDER: &str = concat!(env!("CARGO_MANIFEST_DIR"), "/../data");

/// The tables of the data files, wrong ones and right ones, with the URLs that are asked there.
pub(crate) fn of_data() -> Vec<(String, Vec<String>)> {
    let cases = |name: &str| {
        let text = std::fs::read_to_string(format!("{FOLDER}/{name}")).expect("the file can be read");
        let data: Toml = text.parse().expect("the data is TOML");
        data["case"].as_array().expect("cases").clone()
    };
    let with_urls = |case: &Data| {
        let pairs = |key: &str| case.get(key).and_then(Data::as_array).into_iter().flatten();
        let asked = pairs("stands").chain(pairs("decides")).filter_map(|pair| pair.get(0)?.as_str()?.split_once(' '));
        Some((case.get("table")?.as_str()?.to_owned(), asked.map(|(_, url)| url.to_owned()).collect()))
    };
    let all: Vec<Data> = ["tables.toml", "decisions.toml"].into_iter().flat_map(cases).collect();
    let tables: Vec<_> = all.iter().filter_map(with_urls).collect();
    assert!(tables.len() > 30, "only {} tables are in the data files", tables.len());
    tables
}

/// Generated tables in the three formats, with URLs: the same in each run, so that a commit has one verdict.
pub(crate) fn generated() -> Vec<(String, &'static str, Vec<String>)> {
    let seed: u64 = std::env::var("PROPTEST_RNG_SEED").ok().and_then(|seed| seed.parse().ok()).unwrap_or(6570);
    let bytes: [u8; 32] = std::array::from_fn(|at| seed.to_le_bytes()[at % 8] ^ at as u8);
    let rng = TestRng::from_seed(prop::test_runner::RngAlgorithm::ChaCha, &bytes);
    let mut runner = TestRunner::new_with_rng(Config::default(), rng);
    let flat = prop::collection::vec(route(), 1..8).prop_flat_map(|routes| {
        // A contested URL is a mistake, or is not.
        prop::bool::ANY.prop_map(move |first| {
            let overlaps = if first { Overlaps::FirstDeclared } else { Overlaps::Refused };
            table(&routes, 0..routes.len(), overlaps)
        })
    });
    let deep = prop::collection::vec(level(), 1..4)
        .prop_map(|levels| nested::site(&levels, levels.len().is_multiple_of(2), "^7+$").0);
    let formats = [(Syntax::Toml, "toml"), (Syntax::Yaml, "yaml"), (Syntax::Json, "json")];
    let mut throw = |at: usize| {
        let spec = if at.is_multiple_of(2) {
            flat.new_tree(&mut runner).expect("a table").current()
        } else {
            deep.new_tree(&mut runner).expect("a table").current()
        };
        let urls = prop::collection::vec(url(), 8).new_tree(&mut runner).expect("URLs").current();
        let (syntax, ending) = formats[at % 3];
        (write_table(&spec, syntax), ending, urls)
    };
    let count = 40 * Config::default().cases as usize / 256;
    (0..count).map(&mut throw).collect()
}
