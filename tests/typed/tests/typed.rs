//! Typed routes: what a struct says is what its URL says, and the other way round.

use proptest::prelude::*;
use vivid_lane::link::LinkErrorKind;
use vivid_lane::{RouteSpec, Source, Table, TableSpec};

vivid_lane_macros::typed_table! {
    /// Every shape of parameter.
    mod shapes = "tests/shapes.toml";
}

vivid_lane_macros::typed_table!(pub(crate) mod larkfell = "../../demo/larkfell/routes.toml");

fn text() -> impl Strategy<Value = String> {
    "[a-zA-Z0-9 /?#%é]{1,8}"
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 128 * ProptestConfig::default().cases / 256, ..ProptestConfig::default() })]

    /// From a struct to its URL and back is the identity.
    #[test]
    fn to_url_and_from_match_are_inverses(
        number in 0i64..10_000,
        size in prop::option::of((0u32..100_000).prop_map(|number| f64::from(number) / 4.0)),
        page_size in 1i64..100,
        deep in prop::option::of(any::<bool>()),
        r#type in text(),
        self_ in prop::option::of(text()),
        lang in prop::option::of(prop::sample::select(vec![shapes::values::Lang::En, shapes::values::Lang::Cy, shapes::values::Lang::V404])),
    ) {
        let one = shapes::AllOfThem { number, size, page_size, deep, r#type, self_, lang };
        let url = one.to_url().expect("all values are right");
        let found = shapes::table().find(&url).expect("it is a page");
        prop_assert_eq!(shapes::AllOfThem::from_match(&found), Some(one));
        prop_assert_eq!(shapes::Files::from_match(&found), None);
    }

    /// So it is for lists and for all the rest of a query.
    #[test]
    fn tails_and_pairs_are_inverses(
        path in prop::collection::vec(text(), 1..4),
        rest in prop::collection::vec(("[a-z]{1,4}", text()), 0..3),
        levels in prop::collection::vec(0i64..10, 0..3),
        pair in prop::collection::vec(0i64..100, 2..5),
        band in prop::collection::vec(prop::sample::select(vec![shapes::values::Band::B, shapes::values::Band::V, shapes::values::Band::UX]), 0..4),
        keys in prop::collection::vec((text(), -9i64..9), 0..3),
    ) {
        let files = shapes::Files { path, rest };
        let url = files.to_url().expect("all values are right");
        prop_assert_eq!(shapes::Files::from_match(&shapes::table().find(&url).expect("it is a page")), Some(files));
        let levels = shapes::Levels { levels };
        let url = levels.to_url().expect("all values are right");
        prop_assert_eq!(shapes::Levels::from_match(&shapes::table().find(&url).expect("it is a page")), Some(levels));
        let bands = shapes::Bands { pair, band, keys };
        let url = bands.to_url().expect("all values are right");
        prop_assert_eq!(shapes::Bands::from_match(&shapes::table().find(&url).expect("it is a page")), Some(bands));
    }
}

#[test]
fn the_table_of_the_module_is_that_of_the_file() {
    let table = Table::from_toml(include_str!("shapes.toml")).expect("it can be built");
    let names = |table: &Table| table.routes().map(|route| route.name().to_owned()).collect::<Vec<_>>();
    assert_eq!(names(shapes::table()), names(&table));
    // What is included is there as well.
    assert_eq!(larkfell::AboutHistory {}.to_url().expect("it has no values"), "/about/history");
    assert_eq!(larkfell::NightsNight::NAME, "nights.night");
}

#[test]
fn what_the_rules_refuse_is_refused() {
    let night = larkfell::NightsNight { date: "2031-02-30".to_owned() };
    assert_eq!(night.to_url().expect_err("there is no such day").kind(), LinkErrorKind::Refused);
    let object = larkfell::ObjectsObject { object: "tonight".to_owned() };
    assert_eq!(object.to_url().expect_err("another page has this URL").kind(), LinkErrorKind::Captured);
    // A number that does not fit into its type is no value of the struct.
    let url = "/huge/99999999999999999999";
    let found = shapes::table().find(url).expect("it is a whole number");
    assert_eq!(shapes::Huge::from_match(&found), None);
}

#[test]
fn names_of_values_are_their_texts() {
    use shapes::values::Lang;
    assert_eq!(
        ["en", "cy", "404", "fr"].map(Lang::from_text),
        [Some(Lang::En), Some(Lang::Cy), Some(Lang::V404), None]
    );
    assert_eq!((Lang::V404.as_str(), Lang::Cy.to_string()), ("404", "cy".to_owned()));
}

/// What is served may have moved on: another base, a mount, a route that is gone, a parameter that is new.
#[test]
fn links_follow_the_table_that_is_served() {
    let text = include_str!("shapes.toml");
    let moved = Table::from_toml(&format!("[site]\nbase = '/club'\n{text}")).expect("it can be built");
    let levels = shapes::Levels { levels: vec![1, 2] };
    let url = levels.to_url().expect("all values are right");
    assert_eq!(levels.link_in(&moved).to_url().expect("all values are right"), format!("/club{url}"));
    let url = format!("/club{url}");
    let found = moved.find(&url).expect("it is a page");
    assert_eq!(shapes::Levels::from_match(&found), Some(levels.clone()));
    assert_eq!(shapes::Levels::from_match(&found.keep().position()), Some(levels.clone()));

    let shapes = TableSpec::read(Source::toml(text));
    let outer = RouteSpec::new("club").path("/clubs/{club}").page("club").mount(shapes);
    let outer = TableSpec::new().route(outer).build().expect("it can be mounted");
    let link = levels.link_under(&outer, "club").set("club", "north");
    let url = link.to_url().expect("all values are right");
    assert!(url.starts_with("/clubs/north/"), "{url}");
    let found = outer.find(&url).expect("it is a page");
    assert_eq!(shapes::Levels::from_match_under(&found, "club"), Some(levels.clone()));
    assert_eq!(shapes::Levels::from_match(&found), None);
    assert_eq!(shapes::Levels::from_match_under(&found, "clu"), None);

    for (path, kind) in [("/other", LinkErrorKind::UnknownRoute), ("/{more}{/levels*}", LinkErrorKind::Missing)] {
        let name = if path == "/other" { "other" } else { "levels" };
        let later = TableSpec::new().route(RouteSpec::new(name).path(path).page("p")).build().expect("a table");
        let text = shapes::Levels { levels: vec![1] };
        assert_eq!(text.link_in(&later).to_url().expect_err("the table has moved on").kind(), kind, "{path}");
    }
}

/// A value by default is that of its rule, so that what is left out is what a URL without it means.
#[test]
fn what_is_left_out_has_the_value_of_its_rule() {
    let table = shapes::table();
    let one = shapes::AllOfThem { number: 7, r#type: "t".to_owned(), ..Default::default() };
    let url = one.to_url().expect("the rest may be absent");
    assert_eq!(shapes::AllOfThem::from_match(&table.find(&url).expect("it is a page")), Some(one));
    assert_eq!(shapes::values::Lang::default(), shapes::values::Lang::En);
    assert_eq!(shapes::AllOfThem::default().to_url().expect_err("a value is missing").kind(), LinkErrorKind::Refused);
}
