//! The words of the command line.

use std::ffi::OsString;
#[cfg(feature = "serve")]
use std::net::IpAddr;
use std::path::PathBuf;

use clap::{Args, CommandFactory, Parser, Subcommand, ValueEnum};
#[cfg(not(target_family = "wasm"))]
use clap_complete::ArgValueCompleter;

#[cfg(not(target_family = "wasm"))]
use crate::complete;
use crate::page_files::ENDINGS;

/// One route table for server, browser, tests and editors
#[derive(Debug, Parser)]
#[command(name = "vivid-lane", version, max_term_width = 100, after_help = EXIT)]
pub(crate) struct Cli {
    /// The table file; `routes.toml` in this folder or above it if left out
    #[arg(long, global = true, value_name = "FILE", help_heading = COMMON)]
    pub(crate) table: Option<PathBuf>,

    /// How to print results: for people, or one JSON object a line
    #[arg(long, global = true, value_enum, default_value_t = Format::Text, help_heading = COMMON)]
    pub(crate) format: Format,

    #[command(subcommand)]
    pub(crate) command: Command,
}

const EXIT: &str = "Exit status: 0 fine; 1 there are findings, or a URL was not answered by a page or redirect; \
                    2 the call or a file is wrong.\n\nTry `vivid-lane demo` first.";

/// The heading of the options that most commands have.
const COMMON: &str = "Table and output";

/// The command line. Where an option that most commands have means nothing, help does not show it.
pub(crate) fn command() -> clap::Command {
    let mut command = Cli::command();
    let hidden: [(&str, &[&str]); 2] = [
        ("table", &["init", "diff", "language-server", "schema", "completions", "man", "demo"]),
        ("format", &["init", "serve", "language-server", "schema", "completions", "man", "demo"]),
    ];
    for (option, commands) in hidden {
        let Some(arg) = command.get_arguments().find(|arg| arg.get_id() == option).cloned() else { continue };
        for name in commands {
            if command.find_subcommand(name).is_some() {
                command = command.mut_subcommand(name, |one| one.arg(arg.clone().hide(true)));
            }
        }
    }
    command
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Format {
    Text,
    Json,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// Write a first table, and a script that checks it in your build
    #[command(after_help = "Examples:\n  vivid-lane init\n  vivid-lane init site")]
    Init(InitArgs),
    /// Find mistakes in the table, each with a URL that proves it
    #[command(
        after_help = "Examples:\n  vivid-lane --table demo/larkfell/routes.toml check\n  vivid-lane check --strict --handlers handlers.txt\n  vivid-lane check --sarif > findings.sarif"
    )]
    Check(CheckArgs),
    /// Show the table as a tree: names, paths, pages, frames and rules
    #[command(
        after_help = "Examples:\n  vivid-lane --table demo/larkfell/routes.toml tree\n  vivid-lane tree --draw site.svg"
    )]
    Tree(TreeArgs),
    /// Show what each URL leads to
    #[command(
        after_help = "Examples:\n  vivid-lane match /nights/2031-04-02 /nihgts\n  vivid-lane match --explain /nights/2031-02-30\n  vivid-lane match --list observers=observers.txt --meets observer /observers/ada/logbook\n  cut -d' ' -f7 access.log | vivid-lane match -"
    )]
    Match(MatchArgs),
    /// Make a URL from the name of a route
    #[command(
        after_help = "Examples:\n  vivid-lane link nights.night date=2031-04-02\n  vivid-lane link nights.night.exposures --from /nights/2031-04-02"
    )]
    Link(LinkArgs),
    /// Compare two tables: which addresses are gone, moved, new, or show another page, and which redirects to add
    #[command(after_help = "Example:\n  vivid-lane diff demo/larkfell/older.toml demo/larkfell/routes.toml")]
    Diff(DiffArgs),
    #[cfg(not(target_family = "wasm"))]
    /// Run access logs through the table: hits, routes that nobody reaches, missing addresses, redirects
    #[command(
        after_help = "Examples:\n  vivid-lane replay access.log\n  vivid-lane replay --partial access.log.1.gz > one.json\n  vivid-lane replay --merge one.json two.json\n  zcat access.log.*.gz | vivid-lane replay -"
    )]
    Replay(ReplayArgs),
    /// Convert the table into another format, or another format into a table
    #[command(
        after_help = "Examples:\n  vivid-lane convert --to yaml\n  vivid-lane convert --from openapi api.yaml > routes.toml\n  vivid-lane convert --from pages site > routes.toml\n  vivid-lane convert --from log access.log access.log.1.gz > routes.toml\n  vivid-lane convert --to openapi --out api.json\n  vivid-lane convert --to typescript --browser --server --out src/routes\n  vivid-lane convert --to sitemap --values date=nights.txt --out public/sitemap.xml"
    )]
    Convert(ConvertArgs),
    #[cfg(feature = "serve")]
    /// Serve the table for a browser: plain pages, real status codes, and a page to try URLs in
    #[command(
        after_help = "Examples:\n  vivid-lane --table demo/larkfell/routes.toml serve\n  vivid-lane serve --port 8080 --app dist"
    )]
    Serve(ServeArgs),
    #[cfg(feature = "language-server")]
    /// Check, complete and rename in an editor (Language Server Protocol 3.17 over standard streams)
    LanguageServer,
    /// Print the JSON Schema of a table file, for editors and validators
    #[command(after_help = "Example:\n  vivid-lane schema > table.schema.json")]
    Schema,
    #[cfg(not(target_family = "wasm"))]
    /// Print a script that completes commands and route names in your shell
    #[command(
        after_help = "Examples:\n  source <(vivid-lane completions bash)          # in ~/.bashrc\n  source <(vivid-lane completions zsh)           # in ~/.zshrc\n  vivid-lane completions fish | source           # in ~/.config/fish/config.fish"
    )]
    Completions(CompletionsArgs),
    #[cfg(feature = "man")]
    /// Write manual pages of the tool and of each command
    #[command(after_help = "Example:\n  vivid-lane man ~/.local/share/man/man1")]
    Man(ManArgs),
    #[cfg(not(target_family = "wasm"))]
    /// Walk through the whole job on the demo data
    #[command(after_help = "Example:\n  vivid-lane demo")]
    Demo,
}

#[cfg(not(target_family = "wasm"))]
#[derive(Debug, Args)]
pub(crate) struct CompletionsArgs {
    /// The shell
    #[arg(value_enum, value_name = "SHELL")]
    pub(crate) shell: clap_complete::Shell,
}

#[cfg(feature = "man")]
#[derive(Debug, Args)]
pub(crate) struct ManArgs {
    /// The folder to write into
    #[arg(value_name = "DIR")]
    pub(crate) folder: PathBuf,
}

#[derive(Debug, Args)]
pub(crate) struct InitArgs {
    /// The folder to write into; this one if left out
    #[arg(value_name = "DIR")]
    pub(crate) folder: Option<PathBuf>,
}

#[derive(Debug, Clone, Args)]
pub(crate) struct CheckArgs {
    /// End with status 1 for warnings too, not only for errors
    #[arg(long)]
    pub(crate) strict: bool,
    /// Print a SARIF 2.1.0 log, as code hosts read it
    #[arg(long)]
    pub(crate) sarif: bool,
    /// The names of the handlers that the program has for its pages, one a line
    #[arg(long, value_name = "FILE")]
    pub(crate) handlers: Option<PathBuf>,
    /// Also write the findings as one page of HTML, to send round
    #[arg(long, value_name = "FILE")]
    pub(crate) html: Option<PathBuf>,
    /// Check again after each save, and print results that changed
    #[arg(long)]
    pub(crate) watch: bool,
}

#[derive(Debug, Args)]
pub(crate) struct TreeArgs {
    /// Draw a map of the site into this file instead, as SVG
    #[arg(long, value_name = "FILE")]
    pub(crate) draw: Option<PathBuf>,
}

#[derive(Debug, Args)]
pub(crate) struct MatchArgs {
    /// URLs: a path, with a query if there is one, or an absolute URL; `-` reads one a line from standard input
    #[arg(required = true, value_name = "URL")]
    #[cfg_attr(not(target_family = "wasm"), arg(add = ArgValueCompleter::new(complete::urls)))]
    pub(crate) urls: Vec<OsString>,
    /// The method of the request
    #[arg(long, default_value = "GET", value_name = "METHOD")]
    pub(crate) method: String,
    /// Show each route that the URL could have meant, and why it was not chosen
    #[arg(long)]
    pub(crate) explain: bool,
    #[command(flatten)]
    pub(crate) visitor: VisitorArgs,
}

#[derive(Debug, Args)]
pub(crate) struct LinkArgs {
    /// The full name of the route
    #[arg(value_name = "NAME")]
    #[cfg_attr(not(target_family = "wasm"), arg(add = ArgValueCompleter::new(complete::routes)))]
    pub(crate) name: String,
    /// Values of its parameters; a key given again makes a list
    #[arg(value_name = "KEY=VALUE")]
    pub(crate) values: Vec<String>,
    /// The page that the link stands on, from which it inherits what the two addresses share; all values of live lists are taken as listed
    #[arg(long, value_name = "URL")]
    #[cfg_attr(not(target_family = "wasm"), arg(add = ArgValueCompleter::new(complete::urls)))]
    pub(crate) from: Option<String>,
    /// Begin with the origin of the site
    #[arg(long)]
    pub(crate) absolute: bool,
}

#[derive(Debug, Args)]
#[command(next_help_heading = "The visitor")]
pub(crate) struct VisitorArgs {
    /// The host of the request, where the URL does not name one
    #[arg(long, value_name = "HOST")]
    pub(crate) host: Option<String>,
    #[command(flatten)]
    pub(crate) known: KnownArgs,
}

/// What is true of a visitor, whatever the request is.
#[derive(Debug, Args)]
pub(crate) struct KnownArgs {
    /// A need that the visitor meets; may be given for several needs
    #[arg(long, value_name = "NEED")]
    #[cfg_attr(not(target_family = "wasm"), arg(add = ArgValueCompleter::new(complete::needs)))]
    pub(crate) meets: Vec<String>,
    /// A live list, from a file with one value a line; may be given for several lists
    #[arg(long = "list", value_name = "NAME=FILE")]
    #[cfg_attr(not(target_family = "wasm"), arg(add = ArgValueCompleter::new(complete::lists)))]
    pub(crate) lists: Vec<String>,
}

#[cfg(not(target_family = "wasm"))]
#[derive(Debug, Args)]
pub(crate) struct ReplayArgs {
    /// Logs in the Common or Combined Log Format, plain or packed by gzip; `-` is standard input
    #[arg(required = true, value_name = "LOG")]
    pub(crate) logs: Vec<PathBuf>,
    /// How many pages, redirects and missing addresses to list
    #[arg(long, value_name = "N", default_value_t = 10)]
    pub(crate) top: usize,
    /// Print a summary that can be merged with others, instead of a report
    #[arg(long)]
    pub(crate) partial: bool,
    /// Read summaries, one a line, instead of logs, and add them up
    #[arg(long)]
    pub(crate) merge: bool,
    /// How many missing addresses to count at once; with more, counts may be too low by a reported number
    #[arg(long, value_name = "N", default_value_t = 50_000)]
    pub(crate) counters: usize,
    /// Also draw a map of the site with its hits, as SVG
    #[arg(long, value_name = "FILE", conflicts_with = "partial")]
    pub(crate) draw: Option<PathBuf>,
    /// Also write the report as one page of HTML, to send round
    #[arg(long, value_name = "FILE", conflicts_with = "partial")]
    pub(crate) html: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) visitor: VisitorArgs,
}

#[derive(Debug, Args)]
pub(crate) struct DiffArgs {
    /// Also draw a map of what moved, as SVG
    #[arg(long, value_name = "FILE")]
    pub(crate) draw: Option<PathBuf>,
    /// Print the redirects to add and nothing else, as TOML to append to the new table
    #[arg(long)]
    pub(crate) redirects: bool,
    /// The old table
    #[arg(value_name = "OLD")]
    pub(crate) old: PathBuf,
    /// The new table
    #[arg(value_name = "NEW")]
    pub(crate) new: PathBuf,
}

/// What a conversion reads.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum From {
    /// A table file
    Table,
    /// An OpenAPI 3.0 or 3.1 description in JSON or YAML
    Openapi,
    /// A folder of page files
    Pages,
    #[cfg(not(target_family = "wasm"))]
    /// Access logs, from which a first table is learned
    Log,
    #[cfg(not(target_family = "wasm"))]
    /// Files of a sitemap, from which a first table is learned
    Sitemap,
}

/// What a conversion writes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum To {
    /// A table file in TOML
    Toml,
    /// A table file in JSON
    Json,
    /// A table file in YAML
    Yaml,
    /// An OpenAPI 3.1 description, in YAML if `--out` ends with .yaml, else in JSON
    Openapi,
    /// A sitemap, in several files with an index where it is long
    Sitemap,
    /// A TypeScript module that matches, decides and links as the table does
    Typescript,
}

const TYPESCRIPT: &str = "With --to typescript";
const SITEMAP: &str = "With --to sitemap";
#[cfg(not(target_family = "wasm"))]
const LOG: &str = "With --from log";

#[derive(Debug, Clone, Args)]
pub(crate) struct ConvertArgs {
    /// What to read: a file, `-` for standard input, a folder for `--from pages`, logs for `--from log`; the table if left out
    #[arg(value_name = "INPUT")]
    pub(crate) inputs: Vec<PathBuf>,
    /// The format of the input
    #[arg(long, value_enum, default_value_t = From::Table)]
    pub(crate) from: From,
    /// The format to write
    #[arg(long, value_enum, default_value_t = To::Toml)]
    pub(crate) to: To,
    /// The file to write, or for TypeScript the folder; standard output if left out
    #[arg(long, value_name = "FILE")]
    pub(crate) out: Option<PathBuf>,
    /// Also write the module that navigates in a browser
    #[arg(long, help_heading = TYPESCRIPT)]
    pub(crate) browser: bool,
    /// Also write the module that answers requests, for node and everything with the standard `Request`
    #[arg(long, help_heading = TYPESCRIPT)]
    pub(crate) server: bool,
    /// Write JavaScript with declarations instead, which needs no compiler
    #[arg(long, help_heading = TYPESCRIPT)]
    pub(crate) javascript: bool,
    /// Write nothing, and end with status 1 if the files there differ
    #[arg(long)]
    pub(crate) check: bool,
    /// Write again after each save of the table
    #[arg(long, help_heading = TYPESCRIPT)]
    pub(crate) watch: bool,
    /// Values of a parameter, one a line; or pages of a route, one JSON object a line
    #[arg(long, value_name = "NAME=FILE", help_heading = SITEMAP)]
    pub(crate) values: Vec<String>,
    /// A live list, from a file with one value a line
    #[arg(long = "list", value_name = "NAME=FILE", help_heading = SITEMAP)]
    pub(crate) lists: Vec<String>,
    /// The parameter whose values are languages
    #[arg(long, value_name = "NAME", default_value = "lang", help_heading = SITEMAP)]
    pub(crate) language: String,
    #[cfg(not(target_family = "wasm"))]
    /// Print a sample to be merged with others, instead of a table
    #[arg(long, help_heading = LOG)]
    pub(crate) partial: bool,
    #[cfg(not(target_family = "wasm"))]
    /// Read what `--partial` printed, one a line, instead of logs
    #[arg(long, help_heading = LOG)]
    pub(crate) merge: bool,
    #[cfg(not(target_family = "wasm"))]
    /// Learn only what this table has no answer for, and write the routes to add
    #[arg(long, value_name = "TABLE", help_heading = LOG)]
    pub(crate) keep: Option<PathBuf>,
    /// The endings of page files
    #[arg(long, value_name = "ENDING", help_heading = "With --from pages", default_values = ENDINGS)]
    pub(crate) ending: Vec<String>,
}

#[cfg(feature = "serve")]
#[derive(Debug, Args)]
pub(crate) struct ServeArgs {
    /// The port; 0 picks a free one
    #[arg(long, value_name = "PORT", default_value_t = 8030)]
    pub(crate) port: u16,
    /// The address to listen at; by default only this machine can reach it
    #[arg(long, value_name = "ADDRESS", default_value = "127.0.0.1")]
    pub(crate) address: IpAddr,
    /// The folder of a single-page application, whose `index.html` answers every URL that decides to a page
    #[arg(long, value_name = "DIR")]
    pub(crate) app: Option<PathBuf>,
    /// A path below which another server answers, such as /api=http://127.0.0.1:9000; may be given for several
    #[arg(long, value_name = "PATH=URL")]
    pub(crate) proxy: Vec<String>,
    /// With `--app`, have the browser load its page again when the files or the table change
    #[arg(long, requires = "app")]
    pub(crate) reload: bool,
    /// A host to answer for, beside this machine's own names and the hosts of the table; may be given for several
    #[arg(long = "host", value_name = "HOST")]
    pub(crate) hosts: Vec<String>,
    #[command(flatten)]
    pub(crate) known: KnownArgs,
}
