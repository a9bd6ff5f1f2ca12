//! Where the pages of a site stand in its URLs: mount, slash policy, path or fragment.

use super::ask::{Parts, Target, is_vacant_query};
use super::host::host_of;
use super::path::{BadPath, Limits, Segments, end_of_path, normal_path};
use crate::declare::{SiteKey, Slash};
use crate::template::percent::{clean_query_into, kinds, normalise_into};

/// What a URL is.
#[derive(Debug)]
pub(crate) enum Parsed {
    /// It is in its normal form, and has been taken apart.
    Plain,
    /// It is not; this is the address in its normal form.
    NonCanonical(String),
    /// It does not stand under the base of the site.
    Outside,
}

/// How a site is reached and how it writes its URLs.
#[derive(Debug, Default)]
pub(crate) struct Site {
    /// Scheme and host, without a path.
    pub(crate) origin: Option<Box<str>>,
    /// The path under which the site is mounted: empty, or `/…` in its normal form without a slash at the end.
    /// For a site in the fragment it is the path of the document, as it was declared.
    pub(crate) base: Box<str>,
    pub(crate) slash: Slash,
    /// The keys of the table file that have a value, for those who show them.
    pub(crate) keys: Vec<SiteKey>,
    /// The frame around every page.
    pub(crate) frame: Option<Box<str>>,
    /// Whether the addresses of pages stand after `#`.
    pub(crate) is_in_fragment: bool,
    /// Whether the addresses of pages are paths from the root of the host, without a slash at their end, in the letter case of the
    /// table.
    pub(crate) is_plain: bool,
}

impl Site {
    /// Cuts a URL into host, segments and query.
    pub(super) fn cut<'u>(&self, url: &'u str, limits: Limits, parts: &mut Parts<'u>) -> Result<Parsed, BadPath> {
        parts.target = Target::parse(url, self.is_in_fragment);
        let path = parts.target.path;
        let inside = if self.is_in_fragment { self.is_document(url).then_some(path) } else { self.inside(path) };
        if !self.is_in_fragment && !path.starts_with('/') {
            return Err(BadPath::NoSlash);
        }
        let (segments, is_plain) = Segments::split(inside.unwrap_or(path), self.slash, limits)?;
        let is_vacant = parts.target.query.is_some_and(|query| is_vacant_query(query.as_bytes()));
        if !is_vacant && inside.is_some_and(|inside| is_plain && (!segments.is_empty() || self.is_root(inside))) {
            parts.target.path = segments.path;
            parts.segments = segments;
            return Ok(Parsed::Plain);
        }
        self.non_canonical(parts.target, inside.is_some())
    }

    /// The address of a URL that is not in its normal form.
    #[cold]
    fn non_canonical(&self, target: Target<'_>, is_inside: bool) -> Result<Parsed, BadPath> {
        if self.is_in_fragment && !is_inside {
            return Ok(Parsed::Outside);
        }
        let (path, ends_with_slash) = normal_path(target.path);
        let Some(inside) = (if self.is_in_fragment { Some(path.as_str()) } else { self.inside(&path) }) else {
            return Ok(Parsed::Outside);
        };
        let mut address = self.prefix();
        self.push_path(&mut address, inside, ends_with_slash);
        push_query(&mut address, target.query);
        Ok(Parsed::NonCanonical(address))
    }

    /// What an address starts with before the path of the page.
    fn prefix(&self) -> String {
        match self.is_in_fragment {
            true if self.base.is_empty() => "/#".to_owned(),
            true => format!("{}#", self.base),
            false => self.base.to_string(),
        }
    }

    /// The part of a path below the base.
    fn inside<'u>(&self, path: &'u str) -> Option<&'u str> {
        path.strip_prefix(&*self.base).filter(|inside| inside.is_empty() || inside.starts_with('/'))
    }

    /// Whether this is how the root of the site is written.
    fn is_root(&self, inside: &str) -> bool {
        if self.base.is_empty() || self.is_in_fragment {
            return self.is_in_fragment || inside == "/";
        }
        match self.slash {
            Slash::Never => inside.is_empty(),
            Slash::Always => !inside.is_empty(),
            Slash::Either => true,
        }
    }

    /// Whether the URL names the document that the site is, before its fragment. A fragment alone does.
    fn is_document(&self, url: &str) -> bool {
        let before = url.split('#').next().unwrap_or_default();
        let document = Target::parse(before, false).path.trim_end_matches('/');
        before.is_empty() || document == self.base.trim_end_matches('/')
    }

    /// Appends a path that is in its normal form but for the slash at its end.
    fn push_path(&self, out: &mut String, path: &str, had_slash: bool) {
        let path = path.trim_end_matches('/');
        out.push_str(path);
        let wants_slash = match self.slash {
            Slash::Never => false,
            Slash::Always => true,
            Slash::Either => had_slash,
        };
        let is_bare_root = path.is_empty() && (self.base.is_empty() || self.is_in_fragment);
        if wants_slash || is_bare_root {
            out.push('/');
        }
    }

    /// The address of a page whose template expanded to this: path, query and fragment.
    pub(crate) fn address(&self, expanded: String) -> String {
        let end = end_of_path(&expanded);
        // Where nothing is escaped, there is nothing to bring into a normal form.
        if self.is_plain && end > 1 && kinds(&expanded.as_bytes()[..end]).is_plain() && !expanded[..end].ends_with('/')
        {
            return expanded;
        }
        self.written(&expanded)
    }

    fn written(&self, expanded: &str) -> String {
        let (path, rest) = expanded.split_at(expanded.find(['?', '#']).unwrap_or(expanded.len()));
        let mut normal = String::with_capacity(path.len());
        for raw in path.split('/').skip(1) {
            normal.push('/');
            normalise_into(&mut normal, raw);
        }
        let mut address = self.prefix();
        self.push_path(&mut address, &normal, false);
        address.push_str(rest);
        address
    }

    /// The address that a target was asked under: without scheme, host and fragment.
    pub(crate) fn address_of(&self, target: &Target<'_>) -> String {
        let mut address = if self.is_in_fragment { self.prefix() } else { String::new() };
        let path = if target.sent.is_empty() { "/" } else { target.sent };
        address.push_str(path);
        push_query(&mut address, target.query);
        address
    }
}

/// Appends a query as it was sent, but for what a URL cannot hold. One that says nothing is left out.
pub(super) fn push_query(address: &mut String, query: Option<&str>) {
    if let Some(query) = query.filter(|query| !is_vacant_query(query.as_bytes())) {
        address.push('?');
        clean_query_into(address, query);
    }
}

impl<'u> Target<'u> {
    /// Cuts a path with an optional query, or an absolute URL. The fragment is dropped, or, for a site in the
    /// fragment, all before it.
    pub(crate) fn parse(url: &'u str, is_in_fragment: bool) -> Self {
        if is_in_fragment {
            let (before, fragment) = url.split_once('#').unwrap_or((url, ""));
            let (path, query) = cut_query(fragment.split('#').next().unwrap_or_default());
            return Self { host: Self::parse(before, false).host, path, sent: path, query };
        }
        let (rest, query) = cut_query(url);
        if rest.starts_with('/') {
            return Self { host: None, path: rest, sent: rest, query };
        }
        let scheme = ["http://", "https://"]
            .iter()
            .find(|scheme| rest.get(..scheme.len()).is_some_and(|start| start.eq_ignore_ascii_case(scheme)));
        let (host, path) = match scheme {
            None => (None, rest),
            Some(scheme) => {
                let rest = &rest[scheme.len()..];
                let (authority, path) = rest.split_at(rest.find('/').unwrap_or(rest.len()));
                (Some(host_of(authority)), if path.is_empty() { "/" } else { path })
            }
        };
        Self { host, path, sent: path, query }
    }
}

/// Path and query of what may have a fragment, which is dropped.
fn cut_query(text: &str) -> (&str, Option<&str>) {
    let end = end_of_path(text);
    let (path, rest) = text.split_at(end);
    (path, rest.strip_prefix('?').map(|query| &query[..query.find('#').unwrap_or(query.len())]))
}
