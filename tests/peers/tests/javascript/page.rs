//! docs/JAVASCRIPT.md, block by block: the files that it names are written, what it says to compile compiles, and its tests pass.

use std::path::Path;
use std::process::Command;

use vivid_lane::Table;
use vivid_lane_exchange::typescript::{self, Form};

const PAGE: &str = include_str!("../../../../docs/JAVASCRIPT.md");

/// The blocks whose first line is the name of their file, and the others.
fn blocks() -> (Vec<(&'static str, &'static str)>, Vec<&'static str>) {
    let (mut files, mut others) = (Vec::new(), Vec::new());
    for block in PAGE.split("\n```").skip(1).step_by(2) {
        let (_, body) = block.split_once('\n').expect("a block has a kind");
        let first = body.lines().next().unwrap_or_default();
        match first.strip_prefix("// ").or_else(|| first.strip_prefix("# ")) {
            Some(name) => files.push((name, body)),
            None => others.push(body),
        }
    }
    (files, others)
}

fn run(folder: &Path, program: &str, arguments: &[&str]) {
    let said = Command::new(program).args(arguments).current_dir(folder).output().expect("it runs");
    let out = String::from_utf8_lossy(&said.stdout);
    assert!(said.status.success(), "{program} {arguments:?}: {out}{}", String::from_utf8_lossy(&said.stderr));
}

#[test]
fn every_block_of_the_page_runs() {
    let compiler = std::env::var("TYPESCRIPT").expect("`.ci/javascript` says where the compiler is");
    let folder = Path::new(env!("CARGO_TARGET_TMPDIR")).join(format!("javascript-page-{}", std::process::id()));
    let _ = std::fs::remove_dir_all(&folder);
    std::fs::create_dir_all(folder.join("src/routes")).expect("the folder can be made");
    let (files, others) = blocks();
    let table = files.iter().find(|(name, _)| *name == "routes.toml").expect("the table").1;
    let table = Table::from_toml(table).expect("it can be built");
    for (name, text) in &files {
        std::fs::write(folder.join(name), text).expect("a file");
    }
    std::fs::write(folder.join("package.json"), r#"{ "type": "module" }"#).expect("a file");
    for file in typescript::files(&table, Form { browser: true, server: true, ..Form::default() }).files {
        std::fs::write(folder.join("src/routes").join(file.name), file.text).expect("a file");
    }
    let types = Path::new(&compiler)
        .ancestors()
        .nth(3)
        .expect("a folder")
        .join("@types")
        .canonicalize()
        .expect("`@types/node` is beside the compiler");
    let types = types.to_str().expect("a path");
    // The commands of the page, with the programs that are installed here.
    let (mut compiled, mut tested) = (0, 0);
    for line in others.iter().flat_map(|block| block.lines()) {
        if let Some(options) = line.strip_prefix("npx tsc ") {
            let options: Vec<&str> = options.split(' ').collect();
            run(
                &folder,
                "node",
                &[&[compiler.as_str(), "--typeRoots", types, "--types", "node"], options.as_slice()].concat(),
            );
            compiled += 1;
        } else if let Some(options) = line.strip_prefix("node --test ") {
            run(&folder, "node", &["--test", options]);
            tested += 1;
        }
    }
    assert_eq!((files.len(), compiled, tested), (9, 2, 1), "blocks that are run");
    // The server itself answers, too, and hands out the application.
    std::fs::write(
        folder.join("dist/ask.mjs"),
        r#"process.env.PORT = "0";
        const { Server } = await import("node:http");
        const listen = Server.prototype.listen;
        let server;
        Server.prototype.listen = function (...given) { server = this; return listen.apply(this, given); };
        await import("./server.js");
        await new Promise((done) => setTimeout(done, 200));
        const ask = (path) => fetch(`http://127.0.0.1:${server.address().port}${path}`);
        const night = await (await ask("/nights/2031-04-02")).text();
        if (!night.includes('"data":{"count":7}')) throw new Error(night);
        for (const file of ["/main.js", "/routes/browser.js"]) if (!(await (await ask(file)).text()).includes("import")) throw new Error(file);
        process.exit();"#,
    )
    .expect("a file");
    run(&folder, "node", &["dist/ask.mjs"]);
}
