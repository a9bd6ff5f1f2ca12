//! Where the pages of a site stand in its URLs: mount, slash policy, path or fragment.

use super::host::host_of;
use super::path::{BadPath, MOST_BYTES, end_of_path, normal_path};
use super::scan::{Scan, scan};
use super::target::{Sent, Target, is_vacant_query};
use super::tree::Accepted;
use crate::declare::{SiteKey, Slash};
use crate::template::bytes::first_of;
use crate::template::percent::{clean_query_into, kinds, normalise_into};

/// What a URL comes to that no route answers just so.
#[derive(Debug)]
pub(crate) enum Unanswered {
    /// A URL that is not in its canonical form, and the address that is.
    NonCanonical(String),
    /// Routes, but none for the method.
    OtherMethods(Accepted),
    Nothing,
    Bad(BadPath),
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
    /// Whether letter case is ignored in literals.
    pub(crate) ignores_case: bool,
    /// Whether the addresses of pages are paths from the root of the host, without a slash at their end, in the letter case of the
    /// table.
    pub(crate) is_plain: bool,
}

impl Site {
    /// Takes a URL apart; the host is one that was asked beside it. The target is written in place, as it is large. The error is what the
    /// URL comes to that is not in its canonical form.
    #[inline(always)]
    pub(super) fn parse<'u>(
        &self,
        url: &'u str,
        host: Option<&'u str>,
        target: &mut Target<'u>,
    ) -> Result<(), Unanswered> {
        target.sent.host = host;
        if url.len() > MOST_BYTES {
            return Err(Unanswered::Bad(BadPath::Long));
        }
        if self.is_in_fragment || !url.starts_with('/') {
            return self.parse_other(url, target);
        }
        self.parse_path(url, target)
    }

    /// A URL that begins with a path.
    #[inline(always)]
    fn parse_path<'u>(&self, url: &'u str, target: &mut Target<'u>) -> Result<(), Unanswered> {
        let (bytes, base) = (url.as_bytes(), self.base_length());
        let is_inside = base == 0 || self.is_inside(url);
        let seen = scan(bytes, if is_inside { base } else { 0 }, self.ignores_case, target.ends_mut());
        let is_end = matches!(bytes.get(seen.stop), None | Some(b'?' | b'#'));
        if !(is_inside & is_end & seen.is_straight & !seen.is_deep) {
            return self.parse_unusual(url, is_inside.then_some(seen), target);
        }
        if !seen.ends_with_slash {
            target.ends_mut().push(seen.stop);
        }
        target.sent.whole = url.get(..seen.stop).unwrap_or_default();
        let last = seen.stop - usize::from(seen.ends_with_slash);
        target.sent.path = url.get(base..last).unwrap_or_default();
        if seen.stop < bytes.len() {
            target.sent.query = cut_query(url, seen.stop);
        }
        self.with_slash(seen.ends_with_slash, target)
    }

    /// What a path comes to that is in its canonical form but for a slash at its end.
    #[inline(always)]
    fn with_slash(&self, has_slash: bool, target: &Target<'_>) -> Result<(), Unanswered> {
        let is_root = target.len() == 0 && self.base_length() == 0;
        let is_right = match self.slash {
            Slash::Never => !has_slash,
            Slash::Always => has_slash,
            Slash::Either => true,
        };
        let is_vacant = target.sent.query.is_some_and(|query| is_vacant_query(query.as_bytes()));
        if (is_right || is_root) && !is_vacant { Ok(()) } else { self.non_canonical(target.sent, true) }
    }

    /// A path in which not all bytes are common, or which is outside of the base: then no scan is given.
    #[inline(never)]
    fn parse_unusual<'u>(&self, url: &'u str, seen: Option<Scan>, target: &mut Target<'u>) -> Result<(), Unanswered> {
        let end = end_of_path(url);
        let sent = &mut target.sent;
        (sent.whole, sent.query) = (&url[..end], cut_query(url, end));
        let Some(seen) = seen else { return self.non_canonical(target.sent, false) };
        let base = self.base_length();
        let inside = &target.sent.whole[base..];
        target.sent.path = inside.strip_suffix('/').unwrap_or(inside);
        let Some(has_slash) = target.read(target.sent.whole, base, seen) else {
            return self.non_canonical(target.sent, true);
        };
        if self.ignores_case {
            target.ignore_case();
        }
        self.with_slash(has_slash, target)
    }

    /// A URL that has something before the path: scheme and host, or the document that a site in the fragment is.
    #[inline(never)]
    fn parse_other<'u>(&self, url: &'u str, target: &mut Target<'u>) -> Result<(), Unanswered> {
        let (before, fragment) = if self.is_in_fragment { url.split_once('#').unwrap_or((url, "")) } else { (url, "") };
        let (host, path) = after_host(before);
        target.sent.host = host.or(target.sent.host);
        if self.is_in_fragment {
            let document = path[..end_of_path(path)].trim_end_matches('/');
            let is_inside = before.is_empty() || document == self.base.trim_end_matches('/');
            let is_root = fragment.is_empty() || fragment.starts_with(['?', '#']);
            if !is_root && !fragment.starts_with('/') {
                return Err(Unanswered::Bad(BadPath::NoSlash));
            }
            if is_inside {
                return self.parse_path(fragment, target);
            }
            target.sent.whole = &fragment[..end_of_path(fragment)];
            return self.non_canonical(target.sent, false);
        }
        match path.as_bytes().first() {
            Some(b'/') => self.parse_path(path, target),
            // A host alone has the path of the root.
            None | Some(b'?' | b'#') if host.is_some() => {
                let parsed = self.parse_path("/", target);
                target.sent.query = cut_query(path, 0);
                match parsed {
                    Ok(()) => self.with_slash(true, target),
                    Err(_) => self.non_canonical(target.sent, self.is_inside("/")),
                }
            }
            _ => Err(Unanswered::Bad(BadPath::NoSlash)),
        }
    }

    /// The length of the base, where it is a part of paths.
    #[inline(always)]
    fn base_length(&self) -> usize {
        if self.is_in_fragment { 0 } else { self.base.len() }
    }

    /// Whether a URL begins with the base.
    fn is_inside(&self, url: &str) -> bool {
        let after = url.as_bytes().get(self.base.len());
        url.starts_with(&*self.base) && matches!(after, None | Some(b'/' | b'?' | b'#'))
    }

    /// The address of a URL that is not in its canonical form.
    #[cold]
    fn non_canonical(&self, sent: Sent<'_>, is_inside: bool) -> Result<(), Unanswered> {
        let from = if is_inside { self.base_length() } else { 0 };
        let (path, ends_with_slash) = normal_path(sent.whole, from).map_err(Unanswered::Bad)?;
        let inside = if self.is_in_fragment { is_inside.then_some(&*path) } else { self.inside(&path) };
        let Some(inside) = inside else { return Err(Unanswered::Nothing) };
        let is_root = inside.is_empty();
        let mut address = if self.is_in_fragment { self.prefix() + &path } else { path };
        self.push_slash(&mut address, is_root, ends_with_slash);
        push_query(&mut address, sent.query);
        Err(Unanswered::NonCanonical(address))
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

    /// Appends the slash with which an address of this site ends.
    fn push_slash(&self, out: &mut String, is_root: bool, had_slash: bool) {
        let wants_slash = match self.slash {
            Slash::Never => false,
            Slash::Always => true,
            Slash::Either => had_slash,
        };
        let is_bare_root = is_root && (self.base.is_empty() || self.is_in_fragment);
        if wants_slash || is_bare_root {
            out.push('/');
        }
    }

    /// The address of a page whose template expanded to this: path, query and fragment.
    pub(crate) fn address(&self, expanded: String) -> String {
        let end = end_of_path(&expanded);
        // Where nothing is escaped, there is nothing to bring into a normal form.
        let is_bare = self.base.is_empty() && !self.is_in_fragment && self.slash != Slash::Always;
        if is_bare && end > 1 && kinds(&expanded.as_bytes()[..end]).is_plain() && !expanded[..end].ends_with('/') {
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
        let normal = normal.trim_end_matches('/');
        let mut address = self.prefix() + normal;
        self.push_slash(&mut address, normal.is_empty(), false);
        address.push_str(rest);
        address
    }

    /// The address that was asked: without scheme, host and fragment.
    pub(crate) fn address_of(&self, sent: &Sent<'_>) -> String {
        let mut address = if self.is_in_fragment { self.prefix() } else { String::new() };
        let path = if sent.whole.is_empty() { "/" } else { sent.whole };
        address.push_str(path);
        push_query(&mut address, sent.query);
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

/// The query that begins at a place of a URL, if one does, without the fragment.
fn cut_query(url: &str, at: usize) -> Option<&str> {
    let query = url.get(at..)?.strip_prefix('?')?;
    query.get(..first_of(query.as_bytes(), 0, [b'#', b'#']))
}

/// The host that a URL names, and what comes after it.
fn after_host(url: &str) -> (Option<&str>, &str) {
    let is_scheme = |scheme: &&&str| url.get(..scheme.len()).is_some_and(|start| start.eq_ignore_ascii_case(scheme));
    if url.starts_with('/') {
        return (None, url);
    }
    let Some(scheme) = ["http://", "https://"].iter().find(is_scheme) else { return (None, url) };
    let rest = &url[scheme.len()..];
    let end = end_of_path(rest).min(first_of(rest.as_bytes(), 0, [b'/', b'/']));
    (Some(host_of(&rest[..end])), &rest[end..])
}

/// The host that a URL names.
pub(crate) fn host_in(url: &str) -> Option<&str> {
    after_host(url).0
}
