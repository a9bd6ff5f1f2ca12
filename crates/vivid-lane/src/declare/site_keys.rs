//! The keys of the site: what the builder, a table file and a written declaration say of each.

use smol_str::SmolStr;

use super::data::Data;
use super::keys;
use super::node::Entry;
use super::read::Reader;
use super::site::{Case, Location, Overlaps, SiteSpec, Slash};
use super::source::Placed;
use super::spec::TableSpec;

/// A key that takes one of a few words, each with what it means; the first is the default.
trait Words: Copy + PartialEq + 'static {
    const WORDS: &'static [(&'static str, Self)];
}

impl Words for Slash {
    const WORDS: &'static [(&'static str, Self)] =
        &[("never", Self::Never), ("always", Self::Always), ("either", Self::Either)];
}

impl Words for Case {
    const WORDS: &'static [(&'static str, Self)] = &[("exact", Self::Exact), ("fold", Self::Fold)];
}

impl Words for Location {
    const WORDS: &'static [(&'static str, Self)] = &[("path", Self::Path), ("fragment", Self::Fragment)];
}

impl Words for Overlaps {
    const WORDS: &'static [(&'static str, Self)] =
        &[("refused", Self::Refused), ("first-declared", Self::FirstDeclared)];
}

impl TableSpec {
    /// Sets the scheme and host of the site, such as `https://larkfell.example`.
    #[must_use]
    pub fn origin(mut self, origin: impl Into<String>) -> Self {
        self.site.origin = Some(origin.into().into());
        self
    }

    /// Sets the page for URLs that no route answers.
    #[must_use]
    pub fn fallback(mut self, page: impl Into<String>) -> Self {
        self.site.fallback = Some(page.into().into());
        self
    }

    /// Sets a frame around every page of the site, outside of all others.
    #[must_use]
    pub fn frame(mut self, frame: impl Into<String>) -> Self {
        self.site.frame = Some(frame.into().into());
        self
    }

    /// Sets the path under which the whole site is mounted, such as `/app`. The default is `/`.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{RouteSpec, TableSpec};
    ///
    /// let table = TableSpec::new().base("/app").route(RouteSpec::new("nights").path("/nights").page("nights")).build()?;
    /// assert_eq!(table.link("nights").to_url().unwrap(), "/app/nights");
    /// assert!(table.find("/app/nights").is_some());
    /// assert!(table.find("/nights").is_none());
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn base(mut self, base: impl Into<String>) -> Self {
        self.site.base = Some(base.into().into());
        self
    }

    /// Sets whether the path of a page ends with a slash.
    #[must_use]
    pub fn slash(mut self, slash: Slash) -> Self {
        self.site.slash = slash;
        self
    }

    /// Sets whether letter case counts in literal segments.
    #[must_use]
    pub fn case(mut self, case: Case) -> Self {
        self.site.case = case;
        self
    }

    /// Sets whether addresses of pages stand in the path or in the fragment of the URL.
    #[must_use]
    pub fn location(mut self, location: Location) -> Self {
        self.site.location = location;
        self
    }

    /// Sets what happens if two routes accept a common URL and neither is narrower.
    #[must_use]
    pub fn overlaps(mut self, overlaps: Overlaps) -> Self {
        self.site.overlaps = overlaps;
        self
    }
}

impl Reader<'_> {
    /// Reads the table `site`.
    pub(super) fn site(&mut self, entry: Entry, site: &mut SiteSpec) {
        for entry in self.entries(entry) {
            match entry.key.as_str() {
                "origin" => site.origin = self.text(entry),
                "base" => site.base = self.text(entry),
                "slash" => self.choose(entry, &mut site.slash),
                "case" => self.choose(entry, &mut site.case),
                "location" => self.choose(entry, &mut site.location),
                "frame" => site.frame = self.text(entry),
                "fallback" => site.fallback = self.text(entry),
                "overlaps" => self.choose(entry, &mut site.overlaps),
                _ => self.unknown_key(&entry, keys::SITE),
            }
        }
    }

    fn choose<T: Words>(&mut self, entry: Entry, to: &mut T) {
        let words: Vec<&'static str> = T::WORDS.iter().map(|(word, _)| *word).collect();
        let found = self.word(entry, &words);
        if let Some((_, meant)) = T::WORDS.iter().find(|(word, _)| found == Some(*word)) {
            *to = *meant;
        }
    }
}

impl SiteSpec {
    /// The keys that have a value, their own or a default. All that writes or shows them goes by this list.
    pub(crate) fn keys(&self) -> impl Iterator<Item = SiteKey> {
        let keys = [
            text("origin", self.origin.as_ref()),
            text("base", self.base.as_ref()),
            word("slash", self.slash),
            word("case", self.case),
            word("location", self.location),
            text("frame", self.frame.as_ref()),
            text("fallback", self.fallback.as_ref()),
            word("overlaps", self.overlaps),
        ];
        keys.into_iter().flatten()
    }

    /// The keys that do not have their default, with their values.
    pub(super) fn to_data(&self) -> Vec<(String, Data)> {
        let declared = self.keys().filter(|key| !key.is_default);
        declared.map(|key| (key.name.to_owned(), Data::from(key.value.as_str()))).collect()
    }
}

/// A key of the site and its value.
#[derive(Debug)]
pub(crate) struct SiteKey {
    pub(crate) name: &'static str,
    pub(crate) value: SmolStr,
    pub(crate) is_default: bool,
}

fn text(name: &'static str, value: Option<&Placed<SmolStr>>) -> Option<SiteKey> {
    value.map(|value| SiteKey { name, value: value.value.clone(), is_default: false })
}

fn word<T: Words>(name: &'static str, value: T) -> Option<SiteKey> {
    let at = T::WORDS.iter().position(|(_, meant)| *meant == value)?;
    Some(SiteKey { name, value: SmolStr::new_static(T::WORDS[at].0), is_default: at == 0 })
}
