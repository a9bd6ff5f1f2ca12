//! Tables as one types them: whatever is there so far, `check` answers, and marks whole characters.

use std::io::{self, BufRead, Read, Write};
use std::path::{Path, PathBuf};

use vivid_lane_cli::system::{Entry, System};

/// A machine that has one file, to be read.
struct One<'a> {
    name: &'a str,
    bytes: &'a [u8],
}

impl System for One<'_> {
    fn open(&self, path: &Path) -> io::Result<Box<dyn Read>> {
        let is_it = path == Path::new(self.name);
        if is_it { Ok(Box::new(io::Cursor::new(self.bytes.to_vec()))) } else { Err(io::ErrorKind::NotFound.into()) }
    }

    fn input(&self) -> Box<dyn BufRead> {
        Box::new(io::empty())
    }

    fn is_file(&self, path: &Path) -> bool {
        path == Path::new(self.name)
    }

    fn here(&self) -> io::Result<PathBuf> {
        Ok("/".into())
    }

    fn entries(&self, _: &Path) -> io::Result<Vec<Entry>> {
        Ok(Vec::new())
    }

    fn save(&self, _: &Path, _: &[u8]) -> io::Result<()> {
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    fn create(&self, _: &Path) -> io::Result<Box<dyn Write>> {
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    fn rename(&self, _: &Path, _: &Path) -> io::Result<()> {
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
    }

    fn create_folders(&self, _: &Path) -> io::Result<()> {
        Err(io::ErrorKind::ReadOnlyFilesystem.into())
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
            let table = One { name, bytes: &text.as_bytes()[..end] };
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
