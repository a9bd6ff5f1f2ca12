//! The codes of findings: one row a code, from which the list in docs/TOOL.md is written.

use std::fmt;

/// How bad a finding is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// Surely a mistake, but the table works.
    Warning,
    /// The table cannot be built.
    Error,
}

impl Severity {
    /// The word for it: `error`, `warning` or `note`.
    #[must_use]
    pub fn as_str(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

impl fmt::Display for Severity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

macro_rules! codes {
    ($($name:ident $word:literal $severity:ident $about:literal;)*) => {
        /// What kind of finding it is: a short, stable word, a severity, and what it is about.
        ///
        /// # Example
        /// ```
        /// use vivid_lane::declare::{Code, Severity};
        ///
        /// assert_eq!((Code::Overlap.as_str(), Code::Overlap.severity()), ("overlap", Severity::Error));
        /// assert_eq!(Code::Overlap.about(), "two routes accept a URL, and neither is the narrower");
        /// assert!(Code::ALL.iter().all(|code| *code == *code.as_str()));
        /// ```
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        #[non_exhaustive]
        pub enum Code {
            $(#[doc = $about] $name,)*
        }

        impl Code {
            /// All codes, in the order of the alphabet.
            pub const ALL: &'static [Self] = &[$(Self::$name,)*];

            /// The word.
            #[must_use]
            pub fn as_str(self) -> &'static str {
                match self { $(Self::$name => $word,)* }
            }

            /// How bad a finding of this kind is.
            #[must_use]
            pub fn severity(self) -> Severity {
                match self { $(Self::$name => Severity::$severity,)* }
            }

            /// What is found, in a few words.
            #[must_use]
            pub fn about(self) -> &'static str {
                match self { $(Self::$name => $about,)* }
            }
        }
    };
}

codes! {
    Base "base" Error "`site.base` is no path under which a site can be mounted";
    CapturedLink "captured-link" Note "a route some of whose links a narrower route would answer";
    CatchAll "catch-all" Warning "a tail without a bound that takes every URL of the site, so that nothing is ever not found";
    Default "default" Error "the `default` of a rule is refused by the rule itself";
    DotSegment "dot-segment" Error "a segment `.` or `..` in a path, which is removed from every URL";
    DoubleSlash "double-slash" Error "an empty segment in a path";
    DuplicateFormat "duplicate-format" Error "a format that is registered twice, or has the name of a built-in one";
    DuplicateName "duplicate-name" Error "a route, or a key of a file, that is declared a second time";
    DuplicateNeed "duplicate-need" Error "a need that is declared a second time";
    EmptyPage "empty-page" Error "a page without a name";
    EmptyRule "empty-rule" Error "a rule that no value meets";
    Escape "escape" Error "an escape in a path that does not decode to text";
    FileName "file-name" Error "a page file whose name is no part of a path";
    Fragment "fragment" Error "a fragment where a URL cannot have one";
    FrontMatter "front-matter" Error "front matter of a page file that has no end";
    HandlerWithoutPage "handler-without-page" Warning "a name in `--handlers` that no page has";
    HiddenRedirect "hidden-redirect" Warning "a redirect all of whose URLs pages answer";
    Host "host" Error "a host that is no template for one";
    Include "include" Error "a file that cannot be included";
    IncludeCircle "include-circle" Error "files that include each other in a circle";
    IncludeDepth "include-depth" Error "files that include each other too deep";
    IncludedSite "included-site" Error "a `site` in an included file";
    Json "json" Error "a text that is not JSON";
    LetterCase "letter-case" Warning "two paths that differ by letter case only";
    Method "method" Error "a method that is not in capitals";
    MissingPage "missing-page" Error "a route without a page, a redirect or child routes";
    MissingPath "missing-path" Error "a page or a redirect without a path";
    More "more" Error "how many findings are not listed";
    Name "name" Error "a name of a route, need or list with other characters than letters, digits, `-` and `_`";
    NeedLoop "need-loop" Error "a need that can be met only by those who meet it";
    NeedPage "need-page" Error "a need whose `otherwise` is no page that a `GET` shows";
    NeedParameter "need-parameter" Error "a need whose `otherwise` has a parameter that a visitor may not bring";
    NeedReturn "need-return" Error "a need whose `otherwise` does not take the way back, `{?return}`";
    NeedWithoutPlace "need-without-place" Note "a need whose visitors are refused, not sent to sign in";
    NoPage "no-page" Note "a folder without a page in it";
    NoRoutes "no-routes" Error "a table without a route";
    Number "number" Error "a number that a table cannot hold";
    OpenTail "open-tail" Note "a tail of any number of segments and any text in them";
    Operator "operator" Error "an expression that cannot be read back where it stands";
    Origin "origin" Error "`site.origin` is no scheme and host";
    OtherNotation "other-notation" Warning "a literal that is a parameter in another notation";
    Overlap "overlap" Error "two routes accept a URL, and neither is the narrower";
    PageWithoutHandler "page-without-handler" Error "a page that `--handlers` does not name";
    PathEnd "path-end" Error "a path that ends with a slash";
    PathStart "path-start" Error "a path that does not start with a slash";
    PathsNotChecked "paths-not-checked" Note "the paths of a table are too much to be looked at as a whole";
    Query "query" Error "a query in a path that cannot be read";
    ReachNotChecked "reach-not-checked" Note "a route that shares paths with too many others to tell whether it is ever reached";
    Redirect "redirect" Error "a redirect that says too much or too little";
    RedirectChain "redirect-chain" Error "a redirect to another redirect";
    RedirectLoop "redirect-loop" Error "a redirect that leads back to itself";
    RedirectParameter "redirect-parameter" Error "a redirect that does not give its target the values that it wants";
    RedirectStatus "redirect-status" Error "a status that is none of a redirect";
    RedirectUrl "redirect-url" Error "a template for another site that cannot be filled";
    Renamed "renamed" Note "a page file whose route could not have its name";
    RepeatedHost "repeated-host" Error "a second host along a chain of routes";
    RepeatedParameter "repeated-parameter" Error "a parameter that stands twice along a chain of routes";
    Rule "rule" Error "a keyword of a rule that cannot be read";
    RuleTooLarge "rule-too-large" Error "a rule that would take too large an automaton";
    SamePage "same-page" Error "two page files for one URL, or two of what a folder has one of";
    Tail "tail" Error "a tail that something follows, or that does not begin a segment";
    Template "template" Error "a path that is no URI Template";
    Toml "toml" Error "a text that is not TOML";
    TooDeep "too-deep" Error "routes that are nested too deep";
    TooLarge "too-large" Error "a text that is too long";
    TooLargeToProve "too-large-to-prove" Error "rules and paths that are too many, or too large, to be held against each other";
    TooManyPairs "too-many-pairs" Error "paths that are alike up to their last segments, and too many; more overlaps than are told";
    TooManyParameters "too-many-parameters" Error "a route with too many parameters";
    TooManyRoutes "too-many-routes" Error "a table with too many routes";
    TooManySegments "too-many-segments" Error "a path with too many segments";
    TooManyVariants "too-many-variants" Error "optional parts of a path that can be filled in too many ways";
    UnanchoredPattern "unanchored-pattern" Warning "a pattern that may be found anywhere in a value";
    UnknownKey "unknown-key" Error "a key that a table file does not have";
    UnknownList "unknown-list" Error "a `listed` that names no list";
    UnknownNeed "unknown-need" Error "a need that is declared nowhere";
    UnknownParameter "unknown-parameter" Error "a parameter that the path does not have";
    UnknownRoute "unknown-route" Error "a route that is declared nowhere";
    Unreachable "unreachable" Warning "a route all of whose URLs others answer";
    UntypedList "untyped-list" Note "a list in the query, where the rest of the query may have been meant";
    UnusedFrame "unused-frame" Warning "a frame around no page";
    UnusedList "unused-list" Warning "a list that no rule names";
    UnusedNeed "unused-need" Warning "a need that no route has";
    UnusedRule "unused-rule" Warning "a rule for a parameter that no path has";
    WrongType "wrong-type" Error "a value of another type than its key has";
    WrongWord "wrong-word" Error "a word that is none of those that a key may have";
    Yaml "yaml" Error "a text that is not YAML";
}

impl Code {
    /// Is the text not in its format?
    pub(super) fn is_of_reading(self) -> bool {
        matches!(self, Self::Toml | Self::Json | Self::Yaml)
    }
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

impl PartialEq<str> for Code {
    fn eq(&self, word: &str) -> bool {
        self.as_str() == word
    }
}

impl PartialEq<&str> for Code {
    fn eq(&self, word: &&str) -> bool {
        self.as_str() == *word
    }
}
