//! Any values in a sitemap: the file is XML, it has as many addresses as it says, and each of them is a page of the table.

#![no_main]

use std::cell::RefCell;
use std::io::{self, Write};
use std::rc::Rc;
use std::sync::LazyLock;

use libfuzzer_sys::fuzz_target;
use quick_xml::Reader;
use quick_xml::events::Event;
use vivid_lane::Table;
use vivid_lane_exchange::sitemap::Sitemap;

static TABLE: LazyLock<Table> = LazyLock::new(|| {
    let text = r#"
        site.origin = "https://larkfell.example"
        [routes.dome]
        path = "/domes/{dome}{.format}"
        page = "dome"
        params.format = ["html", "txt"]
        [routes.files]
        path = "/files{/path*}{?q}"
        page = "files"
        [routes.raw]
        path = "/raw/{+tail}{#part}"
        page = "raw"
        [routes.talk]
        path = "/{lang}/talks/{talk}"
        page = "talk"
        params.lang = ["en", "cy"]
    "#;
    Table::from_toml(text).unwrap_or_else(|error| panic!("{error}"))
});

#[derive(Clone, Default)]
struct File(Rc<RefCell<Vec<u8>>>);

impl Write for File {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.borrow_mut().write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

fuzz_target!(|values: Vec<(u8, &str)>| {
    let names = ["dome", "format", "path", "q", "tail", "part", "talk", "lang"];
    let given = values.into_iter().take(12).fold(Sitemap::new(&TABLE).language("lang"), |sitemap, (name, value)| {
        sitemap.values(names[usize::from(name) % names.len()], [value.to_owned()])
    });
    let file = File::default();
    let Ok(written) = given.write(|_| Ok(file.clone())) else { return };
    let text = String::from_utf8(file.0.take()).expect("UTF-8");
    let mut reader = Reader::from_str(&text);
    let (mut in_loc, mut count, mut address) = (false, 0, String::new());
    loop {
        match reader.read_event().unwrap_or_else(|error| panic!("{error}: {text}")) {
            Event::Start(tag) if tag.name().as_ref() == "loc" => (in_loc, address) = (true, String::new()),
            Event::Text(part) if in_loc => address += &part,
            Event::GeneralRef(part) if in_loc => match part.resolve_char_ref().expect("a character") {
                Some(one) => address.push(one),
                None => address += quick_xml::escape::resolve_xml_entity(&part).expect("an entity"),
            },
            Event::End(tag) if tag.name().as_ref() == "loc" => {
                in_loc = false;
                count += 1;
                let path = address.strip_prefix("https://larkfell.example").unwrap_or_else(|| panic!("{address}"));
                assert!(TABLE.find(path).is_some(), "{path} is no page");
            }
            Event::Eof => break,
            _ => {}
        }
    }
    assert_eq!(count, written.urls(), "{text}");
});
