//! Typed routes at compile time: [`typed_table!`] makes a module of a table file, with one struct for each route that shows a
//! page.
//!
//! ```
//! vivid_lane_macros::typed_table! {
//!     /// The pages of the observatory.
//!     mod site = "demo/larkfell/routes.toml";
//! }
//!
//! let night = site::NightsNight { date: "2031-04-02".to_owned() };
//! assert_eq!(night.to_url()?, "/nights/2031-04-02");
//!
//! let found = site::table().find("/cy").expect("the start page in Welsh");
//! let home = site::Home::from_match(&found).expect("it is the start page");
//! assert_eq!(home.lang, Some(site::values::Lang::Cy));
//! # Ok::<(), vivid_lane::LinkError>(())
//! ```
//!
//! A field that does not exist, or is missing, or has another type than its rule says, does not compile:
//!
//! ```compile_fail
//! vivid_lane_macros::typed_table!(mod site = "demo/larkfell/routes.toml");
//! site::NightsNight { day: "2031-04-02".to_owned() };
//! ```
//!
//! A table that cannot be built is a compile error with the places of its mistakes. A change of the file, or of one that it
//! includes, makes the crate be compiled again.

mod emit;
mod load;
mod name;
mod shape;

use proc_macro::TokenStream;
use syn::parse::{Parse, ParseStream};
use syn::{Attribute, Ident, LitStr, Token, Visibility, parse_macro_input};

/// `mod NAME = "FILE";`
struct Call {
    attributes: Vec<Attribute>,
    visibility: Visibility,
    name: Ident,
    file: LitStr,
}

impl Parse for Call {
    fn parse(input: ParseStream<'_>) -> syn::Result<Self> {
        let attributes = input.call(Attribute::parse_outer)?;
        let visibility = input.parse()?;
        input.parse::<Token![mod]>()?;
        let name = input.parse()?;
        input.parse::<Token![=]>()?;
        let file = input.parse()?;
        input.parse::<Option<Token![;]>>()?;
        Ok(Self { attributes, visibility, name, file })
    }
}

/// Makes a module of a table file: `typed_table!(pub mod site = "routes.toml");`. The file is looked for from the folder of
/// the crate's manifest, and may be in TOML, JSON or YAML.
///
/// The module has
///
/// - `table()`, the table, built once when it is first asked for;
/// - a struct for each route that shows a page, named after it (`NightsNight` for `nights.night`), with a field for each
///   parameter: `i64` and `f64` for numbers, `bool`, an enum of the module `values` where the rule names its values, else
///   `String`; an `Option` where it may be absent and has no default; a `Vec` for a tail of segments;
/// - on each struct `NAME`, `to_url()`, and `from_match()`, which is `None` for the match of another route, and for a number
///   that does not fit into its type;
/// - `link_in(&table)` for the table that is served, which may be a newer one than this module knows: where it has no such route or
///   other parameters, the link is an error; `link_under(&table, "mount")` and `from_match_under` for a table that is mounted in
///   another one;
/// - `Default`, so that a parameter that is added later does not break whoever writes `..Default::default()`.
///
/// The crate that calls it depends on `vivid-lane`.
#[proc_macro]
pub fn typed_table(input: TokenStream) -> TokenStream {
    let call = parse_macro_input!(input as Call);
    let loaded = match load::load(&call.file.value()) {
        Ok(loaded) => loaded,
        Err(message) => return syn::Error::new(call.file.span(), message).into_compile_error().into(),
    };
    emit::module(&call.attributes, &call.visibility, &call.name, &loaded).into()
}
