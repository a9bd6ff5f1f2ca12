//! Sitemap → addresses.

use std::io::BufRead;

use quick_xml::Reader;
use quick_xml::events::Event;

/// A file of a sitemap: addresses of pages, and, in an index, addresses of other files.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct SitemapFile {
    /// The addresses of pages.
    pub urls: Vec<String>,
    /// The addresses of other files of the sitemap.
    pub files: Vec<String>,
}

/// The most addresses of one file that are read.
const MOST: usize = 10 * super::MOST_URLS;

impl SitemapFile {
    /// Reads a file (Sitemap protocol 0.9): a set of URLs or an index.
    ///
    /// # Errors
    /// What keeps it from being read, with the byte at which it stands.
    ///
    /// # Example
    /// ```
    /// use vivid_lane_exchange::sitemap::SitemapFile;
    ///
    /// let text = "<urlset><url><loc>https://larkfell.example/objects/a&amp;b</loc><priority>0.5</priority></url></urlset>";
    /// assert_eq!(SitemapFile::read(text.as_bytes())?.urls, ["https://larkfell.example/objects/a&b"]);
    /// # Ok::<(), String>(())
    /// ```
    pub fn read(text: impl BufRead) -> Result<Self, String> {
        let mut reader = Reader::from_reader(text);
        let mut buffer = Vec::new();
        let mut file = Self::default();
        let (mut is_index, mut has_root) = (false, false);
        // The text of a `loc` that stands in a page or a file of the index, not in an image of it.
        let mut location: Option<String> = None;
        let mut depth = 0_usize;
        loop {
            buffer.clear();
            let event = reader.read_event_into(&mut buffer);
            let with_place = |reason: String| format!("{reason}, at byte {}", reader.buffer_position());
            match event.map_err(|error| with_place(error.to_string()))? {
                Event::Start(tag) => {
                    depth += 1;
                    let name = tag.local_name();
                    match (depth, name.as_ref()) {
                        (1, "urlset") => has_root = true,
                        (1, "sitemapindex") => (has_root, is_index) = (true, true),
                        (1, other) => {
                            return Err(with_place(format!("expected `urlset` or `sitemapindex`, found `{other}`")));
                        }
                        (3, "loc") => location = Some(String::new()),
                        _ => {}
                    }
                }
                Event::Text(text) => {
                    if let Some(location) = &mut location {
                        location.push_str(&text);
                    }
                }
                Event::CData(text) => {
                    if let Some(location) = &mut location {
                        location.push_str(&text);
                    }
                }
                Event::GeneralRef(name) => {
                    if let Some(location) = &mut location {
                        let named = quick_xml::escape::resolve_predefined_entity(&name).map(str::to_owned);
                        let text = match named {
                            Some(text) => Some(text),
                            None => name
                                .resolve_char_ref()
                                .map_err(|error| with_place(error.to_string()))?
                                .map(String::from),
                        };
                        location.push_str(&text.ok_or_else(|| with_place("an entity that is not known".to_owned()))?);
                    }
                }
                Event::End(_) => {
                    depth = depth.saturating_sub(1);
                    if depth == 2
                        && let Some(location) = location.take()
                    {
                        let list = if is_index { &mut file.files } else { &mut file.urls };
                        if list.len() == MOST {
                            return Err(with_place(format!("a file may have {MOST} addresses, this one has more")));
                        }
                        list.push(location.trim().to_owned());
                    }
                }
                Event::Eof if has_root && depth == 0 => return Ok(file),
                Event::Eof if has_root => return Err(with_place("the file ends in the middle".to_owned())),
                Event::Eof => return Err("expected a sitemap, found no element".to_owned()),
                _ => {}
            }
        }
    }
}
