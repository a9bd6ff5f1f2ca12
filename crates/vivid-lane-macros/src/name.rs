//! Names of the table → names of the language.

use std::collections::HashSet;

use proc_macro2::{Ident, Span};

/// Names that are taken already.
#[derive(Debug, Default)]
pub(crate) struct Names {
    taken: HashSet<String>,
}

impl Names {
    /// An identifier, with a number at its end where it is taken.
    fn take(&mut self, name: &str) -> Ident {
        let mut free = name.to_owned();
        let mut number = 2;
        while !self.taken.insert(free.clone()) {
            free = format!("{name}{number}");
            number += 1;
        }
        ident(&free)
    }

    /// A name for a type or a variant: `NightsNight` for `nights.night`.
    pub(crate) fn camel(&mut self, name: &str) -> Ident {
        let mut out = String::new();
        for word in words(name) {
            let mut chars = word.chars();
            out.extend(chars.next().into_iter().flat_map(char::to_uppercase));
            out.push_str(chars.as_str());
        }
        self.take(&begun(out, "V"))
    }

    /// A name for a field: `page_size` for `page-size`.
    pub(crate) fn snake(&mut self, name: &str) -> Ident {
        // A query parameter's name has escapes where it may not have characters as they are.
        let plain = name.replace("%2D", "-").replace("%2E", ".");
        let out = words(&plain).collect::<Vec<_>>().join("_");
        self.take(&begun(out, "value_"))
    }
}

fn words(name: &str) -> impl Iterator<Item = &str> {
    name.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty())
}

/// A name that may begin an identifier.
fn begun(name: String, prefix: &str) -> String {
    let is_fine = syn::parse_str::<Ident>(&format!("{name}_")).is_ok() && !name.starts_with(|c: char| c.is_numeric());
    if is_fine && !name.is_empty() { name } else { format!("{prefix}{}", ascii(&name)) }
}

/// What an identifier may have in any case.
fn ascii(name: &str) -> String {
    name.chars().filter(|c| c.is_ascii_alphanumeric() || *c == '_').collect()
}

/// An identifier, raw where it is a word of the language.
fn ident(name: &str) -> Ident {
    if syn::parse_str::<Ident>(name).is_ok() {
        return Ident::new(name, Span::call_site());
    }
    match name {
        "self" | "Self" | "super" | "crate" | "_" => Ident::new(&format!("{name}_"), Span::call_site()),
        name => Ident::new_raw(name, Span::call_site()),
    }
}
