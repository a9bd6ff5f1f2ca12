//! What the compiler says: of calls that are wrong, of tables that are broken, and after the table has changed.

use std::path::{Path, PathBuf};
use std::process::Command;

/// A crate of its own that uses the macro.
struct Program {
    folder: PathBuf,
}

impl Program {
    fn new() -> Self {
        let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join("refused");
        std::fs::create_dir_all(folder.join("src")).expect("the folder can be made");
        let program = Self { folder };
        let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().expect("the workspace is there");
        // The same profiles, versions and target folder as everywhere, so that what is built there is used.
        let workspace = std::fs::read_to_string(root.join("Cargo.toml")).expect("the workspace has a manifest");
        let profiles = workspace.find("[profile.").map_or("", |at| &workspace[at..]);
        let crates = root.join("crates").display().to_string();
        program.write(
            "Cargo.toml",
            &format!(
                "[package]\nname = \"refused\"\nversion = \"0.0.0\"\nedition = \"2024\"\n\n[workspace]\n\n[dependencies]\n\
                 vivid-lane = {{ path = '{crates}/vivid-lane' }}\nvivid-lane-macros = {{ path = '{crates}/vivid-lane-macros' }}\n\n{profiles}"
            ),
        );
        std::fs::copy(root.join("Cargo.lock"), program.folder.join("Cargo.lock")).expect("the lock file is there");
        program
    }

    fn write(&self, name: &str, text: &str) {
        std::fs::write(self.folder.join(name), text).expect("the file can be written");
    }

    /// What the compiler says of a program; nothing where it compiles.
    fn check(&self, main: &str) -> String {
        self.write("src/main.rs", main);
        let output = Command::new(env!("CARGO"))
            .args(["build", "--offline", "--quiet", "--message-format", "short"])
            .env(
                "CARGO_TARGET_DIR",
                Path::new(env!("CARGO_TARGET_TMPDIR")).parent().expect("it is in the target folder"),
            )
            .current_dir(&self.folder)
            .output()
            .expect("cargo can be run");
        let told = String::from_utf8_lossy(&output.stderr).into_owned();
        assert_eq!(output.status.success(), !told.contains("error"), "{told}");
        if output.status.success() { String::new() } else { told }
    }
}

const TABLE: &str = "\
[routes.night]
path = \"/nights/{date}{?lang}\"
page = \"night\"
params.date = \"date\"
params.lang = [\"en\", \"cy\"]
[routes.exposure]
path = \"/exposures/{number}\"
page = \"exposure\"
params.number = \"integer\"
";

// One test, as all of it uses the same folder.
#[test]
fn only_what_is_right_compiles() {
    let program = Program::new();
    program.write("routes.toml", TABLE);
    let with = |line: &str| {
        format!("vivid_lane_macros::typed_table!(mod site = \"routes.toml\");\nfn main() {{\n    {line}\n}}\n")
    };
    let right = with("let _ = site::Night { date: String::new(), lang: Some(site::values::Lang::Cy) }.to_url();");
    assert_eq!(program.check(&right), "");
    for (line, expected) in [
        ("site::Nights {};", "src/main.rs:3:11: error[E0422]: cannot find struct"),
        ("site::Exposure { number: 7, deep: true };", "src/main.rs:3:33: error[E0560]"),
        ("site::Exposure {};", "src/main.rs:3:5: error[E0063]: missing field `number`"),
        ("site::Exposure { number: \"7\" };", "src/main.rs:3:30: error[E0308]"),
        ("site::Night { date: 2031, lang: None };", "src/main.rs:3:25: error[E0308]"),
        ("site::Night { date: String::new(), lang: \"cy\" };", "src/main.rs:3:46: error[E0308]"),
        ("site::values::Lang::Fr;", "src/main.rs:3:25: error[E0599]"),
    ] {
        let told = program.check(&with(line));
        assert!(told.contains(expected), "{line}\n{told}");
    }

    // A change of the file is seen without a change of the program.
    assert_eq!(program.check(&right), "");
    program.write("routes.toml", &TABLE.replace("routes.night", "routes.evening"));
    let told = program.check(&right);
    assert!(told.contains("error[E0422]"), "{told}");

    // A table that is broken: all of its mistakes, each in its place.
    program.write(
        "routes.toml",
        &TABLE.replace("page = \"night\"", "pgae = \"night\"").replace("\"integer\"", "\"integr\""),
    );
    let told = program.check(&right);
    assert!(told.contains("src/main.rs:1:44: error: this table cannot be built"), "{told}");
    assert!(told.contains("routes.toml:3:1: unknown key `pgae`; did you mean `page`?"), "{told}");
    assert!(told.contains("routes.toml:9:17: the rule of `number`"), "{told}");
    let told = program.check("vivid_lane_macros::typed_table!(mod site = \"nowhere.toml\");\nfn main() {}\n");
    assert!(told.contains("src/main.rs:1:44: error: cannot read") && told.contains("nowhere.toml"), "{told}");
    let told = program.check("vivid_lane_macros::typed_table!(mod site \"routes.toml\");\nfn main() {}\n");
    assert!(told.contains("src/main.rs:1:42: error: expected `=`"), "{told}");
}
