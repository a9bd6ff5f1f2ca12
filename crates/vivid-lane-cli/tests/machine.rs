//! The commands on a machine whose only file is in memory: tables as one types them, and calls that are repeated at each save.

use std::cell::RefCell;
use std::io::{self, Read};
use std::path::{Path, PathBuf};

use vivid_lane_cli::system::System;

/// A machine that has one file, to be read.
struct One {
    name: &'static str,
    bytes: RefCell<Vec<u8>>,
}

impl System for One {
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
        let is_it = path == Path::new(self.name);
        if is_it {
            Ok(Box::new(io::Cursor::new(self.bytes.borrow().clone())))
        } else {
            Err(io::ErrorKind::NotFound.into())
        }
    }

    fn is_file(&self, path: &Path) -> bool {
        path == Path::new(self.name)
    }

    fn here(&self) -> io::Result<PathBuf> {
        Ok("/".into())
    }
}

const TABLES: [(&str, &str); 3] = [
    (
        "routes.toml",
        "[site]\nfallback = \"größe\"\n[routes.été]\npath = \"/été/{Größe}/{+ü}{?é,ß}\"\npage = \"é\"\n\
         params.Größe = { pattern = \"^é[ü-ß]+$\", enum = [\"ä\", 'ö'] }\nredirect = \"été\" # Ende…\n",
    ),
    (
        "routes.yaml",
        "site:\n  fallback: größe\nroutes:\n  été:\n    path: \"/été/{Größe}/{+ü}{?é,ß}\"\n    page: é\n    params:\n      \
         Größe: { pattern: '^é[ü-ß]+$', enum: [ä, 'ö'] }\n    redirect: été # Ende…\n",
    ),
    (
        "routes.json",
        "{ \"site\": { \"fallback\": \"größe\" }, \"routes\": { \"été\": { \"path\": \"/été/{Größe}/{+ü}{?é,ß}\", \"page\": \"é\",\n \
         \"params\": { \"Größe\": { \"pattern\": \"^é[ü-ß]+$\", \"enum\": [\"ä\", \"ö\"] } }, \"redirect\": \"été\" } } }\n",
    ),
];

#[test]
fn what_is_typed_so_far_is_checked() {
    for (name, text) in TABLES {
        let mut statuses = [0; 3];
        for end in 0..=text.len() {
            let table = One { name, bytes: RefCell::new(text.as_bytes()[..end].to_vec()) };
            let (mut out, mut err) = (Vec::new(), Vec::new());
            let words = ["vivid-lane", "--table", name, "check"];
            let status = vivid_lane_cli::call(words, None, &table, &mut out, &mut err).status;
            statuses[usize::from(status)] += 1;
            assert!(!out.is_empty() || !err.is_empty(), "nothing is said of {:?}", text.get(..end));
            let (mut out, mut err) = (Vec::new(), Vec::new());
            let words = ["vivid-lane", "--table", name, "--format", "json", "check"];
            vivid_lane_cli::call(words, None, &table, &mut out, &mut err);
            for line in String::from_utf8(out).expect("UTF-8").lines() {
                let finding: serde_json::Value = serde_json::from_str(line).expect("JSON");
                let Some(range) = finding["range"].as_array() else { continue };
                let at = |index: usize| usize::try_from(range[index].as_u64().expect("a number")).expect("it fits");
                assert!(
                    text[..end].get(at(0)..at(1)).is_some(),
                    "half a character is marked in {:?}: {line}",
                    &text[..end]
                );
            }
        }
        // Most of them are wrong, and some cannot even be read.
        assert!(statuses[1] + statuses[2] > text.len() / 2, "{statuses:?}");
        assert!(statuses[2] > 0, "{statuses:?}");
    }
}

#[test]
fn a_check_is_printed_again_when_its_result_is_another() {
    let table = |text: &str| format!("[routes.home]\npath = '{text}'\npage = 'home'\n").into_bytes();
    let machine = One { name: "routes.toml", bytes: RefCell::new(table("/")) };
    let (mut out, mut err) = (Vec::new(), Vec::new());
    let ended = vivid_lane_cli::call(["vivid-lane", "check", "--watch"], None, &machine, &mut out, &mut err);
    let mut repeating = ended.repeating.expect("it goes on");
    assert_eq!((ended.status, repeating.paths()), (0, vec![PathBuf::from("routes.toml")]));
    let mut look = |bytes: Vec<u8>| {
        machine.bytes.replace(bytes);
        let (mut out, mut err) = (Vec::new(), Vec::new());
        assert!(repeating.look(&machine, &mut out, &mut err));
        String::from_utf8([out, err].concat()).expect("UTF-8")
    };
    assert_eq!(look(table("/")), "", "the result is the same");
    assert!(look(table("home")).contains("path-start"));
    assert_eq!(look(table("home")), "", "the result is the same");
    assert!(look(vec![0xff]).contains("is not text"));
    assert!(look(table("/")).contains("fine"));
}
