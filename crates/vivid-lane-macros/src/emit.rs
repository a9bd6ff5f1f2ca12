//! The module.

use proc_macro2::{Ident, TokenStream};
use quote::quote;
use syn::{Attribute, Visibility};
use vivid_lane::RouteRef;

use crate::load::Loaded;
use crate::name::Names;
use crate::shape::{Choices, Field, Holds, One, field};

pub(crate) fn module(attributes: &[Attribute], visibility: &Visibility, name: &Ident, loaded: &Loaded) -> TokenStream {
    let mut names = Names::default();
    let mut choices = Choices::default();
    let routes = loaded.table.routes().filter(|route| route.page().is_some() && route.redirect_status().is_none());
    let structs: Vec<TokenStream> = routes.map(|route| route_struct(route, &mut names, &mut choices)).collect();
    let enums = choices.all.iter().map(|(name, values)| choice(name, values));
    let table = table(loaded);
    quote! {
        #(#attributes)*
        // A program may use some of the routes only.
        #[allow(dead_code)]
        #visibility mod #name {
            #table
            #(#structs)*
            /// The values that rules name one by one.
            pub mod values {
                #(#enums)*
            }
        }
    }
}

/// The table itself, made of the same texts when it is first asked for.
fn table(loaded: &Loaded) -> TokenStream {
    let main = loaded.main.display().to_string();
    let (names, paths): (Vec<&String>, Vec<String>) =
        loaded.included.iter().map(|(name, path)| (name, path.display().to_string())).unzip();
    quote! {
        /// The table.
        #[must_use]
        pub fn table() -> &'static ::vivid_lane::Table {
            static TABLE: ::std::sync::LazyLock<::vivid_lane::Table> = ::std::sync::LazyLock::new(|| {
                let main = ::vivid_lane::Source::by_name(#main, ::core::include_str!(#main));
                let table = ::vivid_lane::TableSpec::read_with(main, &mut |name| match name {
                    #(#names => ::core::result::Result::Ok(::vivid_lane::Source::by_name(#names, ::core::include_str!(#paths))),)*
                    _ => ::core::result::Result::Err(::std::string::String::from("it was not there when this was compiled")),
                });
                table.build().expect("the table was built when this was compiled")
            });
            &TABLE
        }
    }
}

fn route_struct(route: RouteRef<'_>, names: &mut Names, choices: &mut Choices) -> TokenStream {
    let struct_name = names.camel(route.name());
    let full_name = route.name();
    let about = format!("`{}`: the route `{full_name}`.", route.path());
    let mut field_names = Names::default();
    let fields: Vec<Field> = route.parameters().map(|param| field(param, &mut field_names, choices)).collect();
    let declared = fields.iter().map(declaration);
    let set = fields.iter().map(setter);
    let get = fields.iter().map(getter);
    let (default_names, defaults): (Vec<_>, Vec<_>) = fields.iter().map(|field| (&field.name, &field.default)).unzip();
    quote! {
        #[doc = #about]
        #[derive(Debug, Clone, PartialEq)]
        pub struct #struct_name {
            #(#declared,)*
        }

        impl #struct_name {
            /// The full name of the route.
            pub const NAME: &'static str = #full_name;

            /// The URL of the page with these values, by the table of this module.
            ///
            /// # Errors
            /// A value that its rule refuses, or that would be read back as another one.
            pub fn to_url(&self) -> ::core::result::Result<::std::string::String, ::vivid_lane::LinkError> {
                self.link_in(table()).to_url()
            }

            /// The link to the page with these values in a table that is served: one of the same file that was read later, say, or that
            /// stands at another base. Where that table has no such route, or other parameters, no URL is made.
            #[must_use]
            pub fn link_in<'t, P>(&'t self, table: &'t ::vivid_lane::Table<P>) -> ::vivid_lane::Link<'t, P> {
                self.set_in(table.link(Self::NAME))
            }

            /// The same in a table under a route of which this one is mounted. What that route itself needs can be set.
            #[must_use]
            pub fn link_under<'t, P>(
                &'t self,
                table: &'t ::vivid_lane::Table<P>,
                mount: &str,
            ) -> ::vivid_lane::Link<'t, P> {
                self.set_in(table.link(::std::format!("{mount}.{}", Self::NAME)))
            }

            fn set_in<'t, P>(&'t self, link: ::vivid_lane::Link<'t, P>) -> ::vivid_lane::Link<'t, P> {
                #(#set)*
                link
            }

            /// The values of a match, or of the position of one; `None` for another route.
            #[must_use]
            pub fn from_match<P>(found: &::vivid_lane::Position<'_, '_, P>) -> ::core::option::Option<Self> {
                if found.route().name() == Self::NAME { Self::read(found) } else { ::core::option::Option::None }
            }

            /// The same in a table under a route of which this one is mounted.
            #[must_use]
            pub fn from_match_under<P>(
                found: &::vivid_lane::Position<'_, '_, P>,
                mount: &str,
            ) -> ::core::option::Option<Self> {
                let own = found.route().name().strip_prefix(mount)?.strip_prefix('.')?;
                if own == Self::NAME { Self::read(found) } else { ::core::option::Option::None }
            }

            #[allow(unused_variables, reason = "a route without parameters has nothing to read")]
            fn read<P>(found: &::vivid_lane::Position<'_, '_, P>) -> ::core::option::Option<Self> {
                ::core::option::Option::Some(Self { #(#get,)* })
            }
        }

        impl ::core::default::Default for #struct_name {
            /// What the rules say by default; nothing where a value may be absent; else a value that links refuse, or the first one.
            fn default() -> Self {
                Self { #(#default_names: #defaults,)* }
            }
        }
    }
}

fn declaration(field: &Field) -> TokenStream {
    let (name, one) = (&field.name, field.one.tokens());
    let about = match field.label.as_str() {
        "" => format!("`{}`", field.param),
        label => format!("`{}`: {label}", field.param),
    };
    let kind = match field.holds {
        Holds::One => one,
        Holds::Optional => quote!(::core::option::Option<#one>),
        Holds::Items => quote!(::std::vec::Vec<#one>),
        Holds::Pairs => quote!(::std::vec::Vec<(::std::string::String, #one)>),
    };
    quote!(#[doc = #about] pub #name: #kind)
}

/// Hands a field on to the link.
fn setter(field: &Field) -> TokenStream {
    let (name, param) = (&field.name, &field.param);
    let text = match field.one {
        One::Text => quote!(value.as_str()),
        One::Integer | One::Boolean => quote!(*value),
        One::Number => quote!(::std::string::ToString::to_string(value)),
        One::Choice(_) => quote!(value.as_str()),
    };
    match field.holds {
        Holds::One => quote! {
            let value = &self.#name;
            let link = link.set(#param, #text);
        },
        Holds::Optional => quote! {
            let link = match &self.#name {
                ::core::option::Option::Some(value) => link.set(#param, #text),
                ::core::option::Option::None => link,
            };
        },
        Holds::Items => quote! {
            let values = self.#name.iter().map(|value| ::std::string::ToString::to_string(&#text));
            let link = link.set(#param, ::vivid_lane::Value::from(values.collect::<::std::vec::Vec<_>>()));
        },
        Holds::Pairs => quote! {
            let pairs = self.#name.iter().map(|(name, value)| (name.as_str(), ::std::string::ToString::to_string(&#text)));
            let link = link.set(#param, ::vivid_lane::Value::pairs(pairs));
        },
    }
}

/// Takes a field from a match.
fn getter(field: &Field) -> TokenStream {
    let (name, param) = (&field.name, &field.param);
    let read = match &field.one {
        One::Text => quote!(::core::option::Option::Some(text.into_owned())),
        One::Integer | One::Number | One::Boolean => quote!(text.parse().ok()),
        One::Choice(choice) => quote!(values::#choice::from_text(&text)),
    };
    match field.holds {
        Holds::One => quote! {
            #name: {
                let text = found.param(#param)?;
                #read?
            }
        },
        Holds::Optional => quote! {
            #name: match found.param(#param) {
                ::core::option::Option::Some(text) => ::core::option::Option::Some(#read?),
                ::core::option::Option::None => ::core::option::Option::None,
            }
        },
        Holds::Items => quote! {
            #name: found.list(#param).into_iter().map(|text| #read).collect::<::core::option::Option<::std::vec::Vec<_>>>()?
        },
        Holds::Pairs => quote! {
            #name: match found.value(#param) {
                ::core::option::Option::Some(::vivid_lane::Value::Pairs(pairs)) => {
                    let pairs = pairs.into_iter().map(|(name, text)| {
                        let text = ::std::borrow::Cow::<'_, str>::Owned(text);
                        ::core::option::Option::Some((name, #read?))
                    });
                    pairs.collect::<::core::option::Option<::std::vec::Vec<_>>>()?
                }
                _ => ::std::vec::Vec::new(),
            }
        },
    }
}

/// An enum of the values of a rule.
fn choice(name: &Ident, values: &[String]) -> TokenStream {
    let mut names = Names::default();
    let variants: Vec<Ident> = values.iter().map(|value| names.camel(value)).collect();
    let first = &variants[0];
    let about = values.iter().map(|value| format!("`{value}`"));
    let texts: Vec<&String> = values.iter().collect();
    quote! {
        #[doc = "One of the values that a rule names."]
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
        pub enum #name {
            #(#[doc = #about] #variants,)*
        }

        impl ::core::default::Default for #name {
            /// The first one.
            fn default() -> Self {
                Self::#first
            }
        }

        impl #name {
            /// The value as a URL has it.
            #[must_use]
            pub const fn as_str(self) -> &'static str {
                match self {
                    #(Self::#variants => #texts,)*
                }
            }

            /// The value with that text.
            #[must_use]
            pub fn from_text(text: &str) -> ::core::option::Option<Self> {
                match text {
                    #(#texts => ::core::option::Option::Some(Self::#variants),)*
                    _ => ::core::option::Option::None,
                }
            }
        }

        impl ::core::fmt::Display for #name {
            fn fmt(&self, f: &mut ::core::fmt::Formatter<'_>) -> ::core::fmt::Result {
                f.write_str(self.as_str())
            }
        }
    }
}
