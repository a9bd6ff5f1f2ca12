//! The files of a sitemap.

use std::io::{self, BufRead, BufReader, BufWriter, Read, Write};
use std::path::{Path, PathBuf};

use serde_json::Value as Json;
use vivid_lane::declare::Data;
use vivid_lane::{Table, Value};
use vivid_lane_exchange::sitemap::{Hints, MOST_URLS, Record, Sitemap, Written, write_index};

use crate::args::ConvertArgs;
use crate::output::{Failure, Styled, counted};
use crate::progress::during;
use crate::system::System;
use crate::visitor::{lines, named_file};

pub(super) fn run(
    system: &dyn System,
    table: &Table,
    args: &ConvertArgs,
    out: &mut dyn Write,
    err: &mut dyn Write,
) -> Result<Written, Failure> {
    let mut sitemap = Sitemap::new(table).language(&args.language);
    for argument in &args.values {
        let (name, path) = named_file(argument, "--values")?;
        sitemap = match table.route(name) {
            Some(_) => {
                let file = system.open(&path).map_err(|error| Failure::File { path: path.clone(), error })?;
                sitemap.records(name, records(file, path))
            }
            None => {
                if !table.routes().any(|route| route.parameters().any(|param| param.name() == name)) {
                    return Err(Failure::Argument(format!("`{name}` is neither a parameter nor a route of the table")));
                }
                sitemap.values(name, lines(system, &path)?)
            }
        };
    }
    for argument in &args.lists {
        let (name, path) = named_file(argument, "--list")?;
        sitemap = sitemap.list(name, lines(system, &path)?);
    }
    let mut made = 0;
    let written = match &args.out {
        None => {
            let mut out = Some(out);
            sitemap.write(|_| {
                out.take().ok_or_else(|| {
                    io::Error::other(format!(
                        "a file has at most {MOST_URLS} URLs; name one with `--out`, and more are made"
                    ))
                })
            })
        }
        Some(path) => during("writing the sitemap", || {
            sitemap.write(|number| {
                made = number;
                system.create(&beside(path, number)).map(BufWriter::new)
            })
        }),
    }
    .map_err(Failure::Sitemap);
    let written = match (&args.out, written) {
        (Some(path), Err(failure)) => {
            // The unfinished parts are of no use to anyone.
            (1..=made).for_each(|number| drop(system.remove(&beside(path, number))));
            return Err(failure);
        }
        (_, written) => written?,
    };
    if let Some(path) = &args.out {
        finish(system, table, path, written.files())?;
        let files = counted(written.files(), "file");
        let what = format!("{} in {files}, {}", counted(written.urls(), "URL"), path.display());
        writeln!(err, "{} {what}", Styled(crate::output::GOOD, "written:"))?;
    }
    Ok(written)
}

/// The file of a part: `sitemap-1.xml` for `sitemap.xml`.
fn part(path: &Path, number: usize) -> PathBuf {
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    path.with_file_name(format!("{stem}-{number}.xml"))
}

/// Where a part is written, until all are whole.
fn beside(path: &Path, number: usize) -> PathBuf {
    let part = part(path, number);
    part.with_file_name(format!(".{}.new", part.file_name().unwrap_or_default().to_string_lossy()))
}

/// Gives the parts their names, once all are whole. One part has the name that was asked for; of several, an index has it, which comes
/// last.
fn finish(system: &dyn System, table: &Table, path: &Path, files: usize) -> Result<(), Failure> {
    let failed = |error| Failure::Write { path: path.to_owned(), error };
    if files == 1 {
        return system.rename(&beside(path, 1), path).map_err(failed);
    }
    let root = format!("{}{}", table.origin().unwrap_or_default(), table.base());
    let urls = (1..=files).map(|number| {
        let part = part(path, number);
        format!("{root}/{}", part.file_name().unwrap_or_default().to_string_lossy())
    });
    let mut index = Vec::new();
    write_index(&mut index, urls).map_err(failed)?;
    for number in 1..=files {
        system.rename(&beside(path, number), &part(path, number)).map_err(failed)?;
    }
    system.save(path, &index).map_err(failed)
}

/// Records, one JSON object a line: values of parameters, and hints by their names.
fn records(file: Box<dyn Read>, path: PathBuf) -> impl Iterator<Item = io::Result<Record>> {
    let lines = BufReader::new(file).lines().enumerate();
    lines.filter(|(_, line)| line.as_ref().map_or(true, |line| !line.trim().is_empty())).map(move |(at, line)| {
        let wrong = |reason: String| io::Error::other(format!("{}:{}: {reason}", path.display(), at + 1));
        let object = match serde_json::from_str(&line?) {
            Ok(Json::Object(object)) => object,
            Ok(_) => return Err(wrong("expected a JSON object such as {\"date\":\"2031-04-02\"}".to_owned())),
            Err(error) => return Err(wrong(format!("this is not JSON: {error}"))),
        };
        let mut values = Vec::new();
        let mut hints = Vec::new();
        for (name, value) in object {
            let single = |value: &Json| match value {
                Json::String(text) => Some(text.clone()),
                Json::Number(number) => Some(number.to_string()),
                Json::Bool(value) => Some(value.to_string()),
                Json::Null | Json::Array(_) | Json::Object(_) => None,
            };
            if matches!(name.as_str(), "lastmod" | "changefreq" | "priority") {
                let data = match &value {
                    Json::Number(number) => number.as_f64().map_or(Data::Null, Data::Float),
                    other => single(other).map_or(Data::Null, Data::from),
                };
                hints.push((name, data));
                continue;
            }
            let value = match &value {
                Json::Array(items) => items.iter().map(single).collect::<Option<Vec<_>>>().map(Value::from),
                other => single(other).map(Value::from),
            };
            let value = value.ok_or_else(|| wrong(format!("expected a text, a number or a list as `{name}`")))?;
            values.push((name, value));
        }
        let (hints, faults) = Hints::read(&Data::Table(hints));
        match faults.first() {
            Some(fault) => Err(wrong(fault.clone())),
            None => Ok(Record::new(values, hints)),
        }
    })
}
