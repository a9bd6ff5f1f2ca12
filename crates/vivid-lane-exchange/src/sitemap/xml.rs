//! The files of a sitemap.

use std::io::{self, Write};

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesStart, BytesText, Event};

use super::{Hints, MOST_BYTES, MOST_URLS};

const SITEMAP: &str = "http://www.sitemaps.org/schemas/sitemap/0.9";
const XHTML: &str = "http://www.w3.org/1999/xhtml";
/// Room for what closes a file.
const CLOSING: u64 = 64;

/// A page with its URL.
pub(super) struct Page<'a> {
    pub(super) url: &'a str,
    pub(super) hints: &'a Hints,
    /// Languages and URLs of the same page in each of them.
    pub(super) alternates: &'a [(String, String)],
}

/// Counts what is written.
struct Counting<W> {
    out: W,
    bytes: u64,
}

impl<W: Write> Write for Counting<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let written = self.out.write(bytes)?;
        self.bytes += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}

/// Writes pages into files, and begins another where one is full.
pub(super) struct UrlSets<W, F> {
    open: F,
    file: Writer<Counting<W>>,
    /// How many pages the file has.
    pages: usize,
    files: usize,
    all: usize,
}

impl<W: Write, F: FnMut(usize) -> io::Result<W>> UrlSets<W, F> {
    pub(super) fn new(mut open: F) -> io::Result<Self> {
        let file = begin(open(1)?)?;
        Ok(Self { open, file, pages: 0, files: 1, all: 0 })
    }

    pub(super) fn page(&mut self, page: &Page<'_>) -> io::Result<()> {
        let mut entry = Writer::new(Vec::new());
        url(&mut entry, page)?;
        let mut entry = entry.into_inner();
        entry.push(b'\n');
        let bytes = self.file.get_ref().bytes + entry.len() as u64 + CLOSING;
        if self.pages == MOST_URLS || (self.pages > 0 && bytes > MOST_BYTES) {
            let next = begin((self.open)(self.files + 1)?)?;
            end(std::mem::replace(&mut self.file, next))?;
            self.files += 1;
            self.pages = 0;
        }
        self.file.get_mut().write_all(&entry)?;
        self.pages += 1;
        self.all += 1;
        Ok(())
    }

    /// How many pages, and files, there are.
    pub(super) fn finish(self) -> io::Result<(usize, usize)> {
        end(self.file)?;
        Ok((self.all, self.files))
    }
}

fn begin<W: Write>(out: W) -> io::Result<Writer<Counting<W>>> {
    let mut file = Writer::new(Counting { out, bytes: 0 });
    file.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    let set = BytesStart::new("urlset").with_attributes([("xmlns", SITEMAP), ("xmlns:xhtml", XHTML)]);
    file.get_mut().write_all(b"\n")?;
    file.write_event(Event::Start(set))?;
    file.get_mut().write_all(b"\n")?;
    Ok(file)
}

fn end<W: Write>(mut file: Writer<Counting<W>>) -> io::Result<()> {
    file.write_event(Event::End(BytesEnd::new("urlset")))?;
    file.get_mut().write_all(b"\n")?;
    file.get_mut().flush()
}

fn url(out: &mut Writer<Vec<u8>>, page: &Page<'_>) -> io::Result<()> {
    let text = |out: &mut Writer<Vec<u8>>, name: &str, text: &str| {
        out.create_element(name).write_text_content(BytesText::new(text)).map(|_| ())
    };
    out.write_event(Event::Start(BytesStart::new("url")))?;
    text(out, "loc", page.url)?;
    if let Some(moment) = &page.hints.last_changed {
        text(out, "lastmod", moment)?;
    }
    if let Some(frequency) = &page.hints.frequency {
        text(out, "changefreq", frequency)?;
    }
    if let Some(priority) = page.hints.priority {
        text(out, "priority", &format!("{priority:?}"))?;
    }
    for (language, url) in page.alternates {
        let attributes = [("rel", "alternate"), ("hreflang", language.as_str()), ("href", url.as_str())];
        out.create_element("xhtml:link").with_attributes(attributes).write_empty()?;
    }
    out.write_event(Event::End(BytesEnd::new("url")))
}

pub(super) fn index<W: Write>(out: W, urls: impl IntoIterator<Item = String>) -> io::Result<()> {
    let mut file = Writer::new_with_indent(out, b' ', 2);
    file.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    file.create_element("sitemapindex").with_attribute(("xmlns", SITEMAP)).write_inner_content(|file| {
        for url in urls {
            file.create_element("sitemap").write_inner_content(|file| {
                file.create_element("loc").write_text_content(BytesText::new(&url)).map(|_| ())
            })?;
        }
        Ok(())
    })?;
    file.get_mut().write_all(b"\n")?;
    file.get_mut().flush()
}
