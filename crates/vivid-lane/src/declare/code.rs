//! The codes of findings: one row a code. docs/FINDINGS.md explains each, and a test holds the two together.

use std::fmt;

/// How serious a finding is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// Very likely a mistake, but the table works.
    Warning,
    /// The table cannot be built.
    Error,
}

impl Severity {
    /// The severity as a word: `error`, `warning` or `note`.
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
        /// The kind of a finding: a short, stable word, with a severity and a sentence.
        ///
        /// # Example
        /// ```
        /// use vivid_lane::declare::{Code, Severity};
        ///
        /// assert_eq!((Code::Overlap.as_str(), Code::Overlap.severity()), ("overlap", Severity::Error));
        /// assert_eq!(Code::Overlap.about(), "two routes accept a URL, and neither is narrower");
        /// assert!(Code::ALL.iter().all(|code| *code == *code.as_str()));
        /// ```
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
        #[non_exhaustive]
        pub enum Code {
            $(#[doc = $about] $name,)*
        }

        impl Code {
            /// All codes, in alphabetical order.
            pub const ALL: &'static [Self] = &[$(Self::$name,)*];

            /// The code as a word, such as `unknown-key`.
            #[must_use]
            pub fn as_str(self) -> &'static str {
                match self { $(Self::$name => $word,)* }
            }

            /// How serious findings of this kind are.
            #[must_use]
            pub fn severity(self) -> Severity {
                match self { $(Self::$name => Severity::$severity,)* }
            }

            /// What findings of this kind are about, in a few words.
            #[must_use]
            pub fn about(self) -> &'static str {
                match self { $(Self::$name => $about,)* }
            }
        }
    };
}

codes! {
    Base "base" Error "the path in `site.base` cannot be the start of an address";
    CapturedLink "captured-link" Note "a narrower route answers some links of this route";
    CatchAll "catch-all" Warning "a tail without a limit takes every URL of the site";
    Default "default" Error "a rule refuses its own `default`";
    DotSegment "dot-segment" Error "a path has a segment `.` or `..`";
    DoubleSlash "double-slash" Error "a path has an empty segment";
    DuplicateFormat "duplicate-format" Error "a format is registered twice, or has the name of a built-in one";
    DuplicateName "duplicate-name" Error "a name is declared twice";
    DuplicateNeed "duplicate-need" Error "a need is declared twice";
    EmptyPage "empty-page" Error "a page has no name";
    EmptyRule "empty-rule" Error "no value meets a rule";
    Escape "escape" Error "an escape in a path does not decode to text";
    FileName "file-name" Error "the name of a page file cannot be a path";
    Fragment "fragment" Error "a fragment is in a place where a URL cannot have one";
    FrontMatter "front-matter" Error "the front matter of a page file has no end";
    HandlerWithoutPage "handler-without-page" Warning "no page has a name that `--handlers` lists";
    HiddenRedirect "hidden-redirect" Warning "pages answer every URL of a redirect";
    Host "host" Error "a host is no template for a host";
    Include "include" Error "a file cannot be included";
    IncludeCircle "include-circle" Error "files include each other in a circle";
    IncludeDepth "include-depth" Error "files include each other too deep";
    IncludedSite "included-site" Error "an included file has a `site` of its own";
    Json "json" Error "a text is not JSON";
    LetterCase "letter-case" Warning "two paths differ by letter case only";
    Method "method" Error "a method is not written in capitals";
    MissingPage "missing-page" Error "a route has no page, no redirect and no child routes";
    MissingPath "missing-path" Error "a page or a redirect has no path";
    MissingTitle "missing-title" Note "a page has no title, though others have";
    More "more" Error "there are more findings than are listed";
    Name "name" Error "a name has characters other than letters, digits, `-` and `_`";
    NeedLoop "need-loop" Error "only those who meet a need can reach the page on which to meet it";
    NeedPage "need-page" Error "the `otherwise` of a need is no page that a `GET` shows";
    NeedParameter "need-parameter" Error "the `otherwise` of a need has a parameter that a visitor may not bring";
    NeedReturn "need-return" Error "the `otherwise` of a need does not take the way back";
    NeedWithoutPlace "need-without-place" Note "a need refuses visitors and does not send them anywhere";
    NoPage "no-page" Note "a folder has no page";
    NoRoutes "no-routes" Error "a table has no route";
    Number "number" Error "a table cannot hold a number";
    OpenTail "open-tail" Note "a tail takes any number of segments with any text in them";
    Operator "operator" Error "an expression cannot be read back at its place";
    Origin "origin" Error "`site.origin` is not a scheme and a host";
    OtherNotation "other-notation" Warning "a literal looks like a parameter in another notation";
    Overlap "overlap" Error "two routes accept a URL, and neither is narrower";
    PageWithoutHandler "page-without-handler" Error "`--handlers` does not list a page";
    PathEnd "path-end" Error "a path ends with a slash";
    PathStart "path-start" Error "a path does not start with a slash";
    PathsNotChecked "paths-not-checked" Note "the paths of a table are too large to be examined as a whole";
    Query "query" Error "a query in a path cannot be read";
    ReachNotChecked "reach-not-checked" Note "a route shares URLs with too many others to tell whether it is ever reached";
    Redirect "redirect" Error "a redirect says too much or too little";
    RedirectChain "redirect-chain" Error "a redirect leads to another redirect";
    RedirectLoop "redirect-loop" Error "a redirect leads back to itself";
    RedirectParameter "redirect-parameter" Error "a redirect does not give its target the values that it needs";
    RedirectStatus "redirect-status" Error "a status is not one of a redirect";
    RedirectUrl "redirect-url" Error "a template for another site cannot be filled";
    Renamed "renamed" Note "the route of a page file could not have its name";
    RepeatedHost "repeated-host" Error "a route and one of its parents both have a host";
    RepeatedParameter "repeated-parameter" Error "a parameter occurs twice in the full path of a route";
    Rule "rule" Error "a keyword of a rule cannot be read";
    RuleTooLarge "rule-too-large" Error "a rule would need too large an automaton";
    SamePage "same-page" Error "two page files stand for one URL";
    Tail "tail" Error "something follows a tail, or a tail does not begin a segment";
    Template "template" Error "a path is not a URI Template";
    Toml "toml" Error "a text is not TOML";
    TooDeep "too-deep" Error "routes are nested too deep";
    TooLarge "too-large" Error "a text is too long";
    TooLargeToProve "too-large-to-prove" Error "rules and paths are too many or too large to be compared";
    TooManyPairs "too-many-pairs" Error "too many routes overlap, or are alike up to their last segments";
    TooManyParameters "too-many-parameters" Error "a route has too many parameters";
    TooManyRoutes "too-many-routes" Error "a table has too many routes";
    TooManySegments "too-many-segments" Error "a path has too many segments";
    TooManyVariants "too-many-variants" Error "the optional parts of a path can be filled in too many ways";
    UnanchoredPattern "unanchored-pattern" Warning "a pattern may be found anywhere in a value";
    UnknownKey "unknown-key" Error "a table file does not have a key";
    UnknownList "unknown-list" Error "`listed` names a list that is not declared";
    UnknownNeed "unknown-need" Error "a need is not declared";
    UnknownParameter "unknown-parameter" Error "a path does not have a parameter";
    UnknownRoute "unknown-route" Error "a route is not declared";
    Unreachable "unreachable" Warning "other routes answer every URL of a route";
    UntypedList "untyped-list" Note "a list in the query may have been meant as the rest of the query";
    UnusedFrame "unused-frame" Warning "a frame is around no page";
    UnusedList "unused-list" Warning "no rule names a list";
    UnusedNeed "unused-need" Warning "no route has a need";
    UnusedRule "unused-rule" Warning "no path has the parameter that a rule is for";
    WrongType "wrong-type" Error "a value has another type than its key";
    WrongWord "wrong-word" Error "a key cannot have a word";
    Yaml "yaml" Error "a text is not YAML";
}

impl Code {
    /// Whether the text is not in its format.
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
