//! Any texts as a folder of page files: they make a table, or it is said why not, and no file leads out of its folder.

#![no_main]

use libfuzzer_sys::fuzz_target;
use vivid_lane::TableSpec;

fuzz_target!(|files: Vec<(&str, &str)>| {
    let files: Vec<(&str, &str)> = files.into_iter().take(8).collect();
    let Ok(table) = TableSpec::from_pages(files.iter().copied()).build() else { return };
    for route in table.routes() {
        // A page is a file that was given.
        let page = route.page().map_or("", |page| page.as_str());
        assert!(page.is_empty() || files.iter().any(|(path, _)| *path == page), "{page:?}");
        if let Ok(url) = table.link(route.name()).to_url() {
            let found = table.find(&url).unwrap_or_else(|| panic!("{url} is no page"));
            assert_eq!(found.route().name(), route.name(), "{url}");
        }
    }
    // The order of the files does not matter.
    let mut turned = files.clone();
    turned.reverse();
    if turned.iter().all(|(path, _)| files.iter().filter(|(known, _)| known == path).count() == 1) {
        let again = TableSpec::from_pages(turned).build().expect("the same files");
        assert_eq!(
            format!("{:?}", again.routes().map(|route| route.name()).collect::<Vec<_>>()),
            format!("{:?}", table.routes().map(|route| route.name()).collect::<Vec<_>>())
        );
    }
});
