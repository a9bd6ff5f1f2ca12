//! What holds for the whole site.

use smol_str::SmolStr;

use super::source::Placed;

/// How a site is reached and how it writes its URLs, as it is declared.
#[derive(Debug, Clone, Default)]
pub(crate) struct SiteSpec {
    pub(crate) origin: Option<Placed<SmolStr>>,
    pub(crate) base: Option<Placed<SmolStr>>,
    pub(crate) slash: Slash,
    pub(crate) case: Case,
    pub(crate) location: Location,
    pub(crate) frame: Option<Placed<SmolStr>>,
    pub(crate) fallback: Option<Placed<SmolStr>>,
    pub(crate) overlaps: Overlaps,
}

/// What happens if two routes accept a common URL and neither is narrower.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum Overlaps {
    /// The table is not built.
    #[default]
    Refused,
    /// The route that is declared first answers.
    FirstDeclared,
}

/// Whether the path of a page ends with a slash. The root is `/` whatever the policy.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum Slash {
    /// `/nights`; `/nights/` is redirected to it.
    #[default]
    Never,
    /// `/nights/`; `/nights` is redirected to it.
    Always,
    /// Both are the page; links are made without the slash.
    Either,
}

/// Whether letter case counts in the literal segments of a path. It always counts in values.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum Case {
    /// `/Nights` is not `/nights`.
    #[default]
    Exact,
    /// `/Nights` is redirected to `/nights`, the case that the table has.
    Fold,
}

/// Where the address of a page stands in its URL.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Hash)]
pub enum Location {
    /// In the path: `/nights?year=2031`.
    #[default]
    Path,
    /// In the fragment, for a site on a static host: `/#/nights?year=2031`.
    Fragment,
}
