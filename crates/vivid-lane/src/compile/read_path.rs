//! The path and the host of a route, read on from those of its ancestors, and the rules of their parameters; and the variants of a
//! path that was read before.

use std::sync::Arc;

use smol_str::SmolStr;

use super::notation::OtherNotation;
use super::resolve::Walker;
use super::resolved::{Host, Reading, met};
use super::variants::{PathProblem, ResolvedPath};
use crate::declare::{Code, Placed, expected_one_of, usual_word};
use crate::lookup::{Param, ParamKind, PathVariant, RouteRef};
use crate::rule::{MOST_STATES, Shape, in_words};
use crate::template::bytes::Brief;
use crate::template::percent::encode_unreserved;
use crate::template::{Operator, Part, Template, TemplateError};

impl Walker<'_> {
    /// Goes on with the route's own path.
    pub(super) fn path(&mut self, path: &Placed<SmolStr>, reading: &mut Reading, ancestors_are_sound: bool) {
        let starts_well = path.value.starts_with('/')
            || ["{/", "{?", "{&", "{#", "?"].iter().any(|start| path.value.starts_with(start))
            || (reading.level > 0 && ["{.", "{;"].iter().any(|start| path.value.starts_with(start)));
        if !starts_well {
            let found =
                if path.value.is_empty() { "nothing".to_owned() } else { format!("`{}`", beginning(&path.value)) };
            self.report
                .add(
                    Code::PathStart,
                    path.span.as_ref(),
                    format!("expected a path that starts with `/`, found {found}"),
                )
                .help_with(format!("write `/{}`", beginning(&path.value)))
                .route(&reading.name);
            reading.known.is_sound = false;
            return;
        }
        let (text, skipped) = without_lone_slash(&path.value);
        let template = match Template::parse(text) {
            Ok(template) => template,
            Err(error) => return self.bad_template(&error, path, skipped, reading),
        };
        self.other_notation(path, reading);
        if !ancestors_are_sound {
            return;
        }
        let rules = &self.rules;
        if let Err(problem) = reading.path.extend(&template, reading.level, &|name| rules.shape_of(name)) {
            return self.bad_path(problem, path, skipped, reading);
        }
        if reading.level == 0 {
            reading.template = Some(template);
        }
        if self.is_in_fragment && reading.path.has_fragment() {
            self.report
                .add(
                    Code::Fragment,
                    path.span.as_ref(),
                    "the address of a page is in the fragment, so it has no fragment of its own",
                )
                .help_with(
                    "leave out `{#…}`, or put the address into the path with `location = \"path\"` under `[site]`",
                )
                .route(&reading.name);
        }
    }

    pub(super) fn host(&mut self, host: &Placed<SmolStr>, reading: &mut Reading) {
        let template = match Template::parse(&host.value) {
            Ok(template) => template,
            Err(error) => return self.bad_template(&error, host, 0, reading),
        };
        if let Some(above) = &reading.host {
            let message = format!("`{}` has the host `{}` from an ancestor already", reading.name, above.template);
            self.report.add(Code::RepeatedHost, host.span.as_ref(), message).route(&reading.name);
            return;
        }
        let mut pieces = Vec::new();
        for part in template.parts() {
            match part {
                Part::Literal(text)
                    if text.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'.' | b'-')) =>
                {
                    pieces.push(Ok(text.to_ascii_lowercase()));
                }
                Part::Expression(expression)
                    if expression.operator() == Operator::Simple
                        && let Some(variable) = expression.sole_variable() =>
                {
                    match reading.path.host_param(variable, reading.level) {
                        Ok(param) => pieces.push(Err(param)),
                        Err(problem) => self.bad_path(problem, host, 0, reading),
                    }
                }
                _ => {
                    let message = format!(
                        "expected a host such as `{{club}}.larkfell.example`, found `{}`",
                        host.value.escape_debug()
                    );
                    self.report.add(Code::Host, host.span.as_ref(), message).route(&reading.name);
                    reading.known.is_sound = false;
                }
            }
        }
        reading.host = Some(Box::new(Host { template, pieces }));
    }

    fn bad_template(&mut self, error: &TemplateError, text: &Placed<SmolStr>, skipped: usize, reading: &mut Reading) {
        let span = text.within(skipped + error.offset(), error.width());
        let meant = OtherNotation::find(&text.value);
        let finding = self.report.add(Code::Template, span.as_ref(), error.to_string()).route(&reading.name);
        if let Some(meant) = meant {
            finding.help_with(meant_by(&meant));
        }
        reading.known.is_sound = false;
    }

    /// Warns of a literal that is a parameter in another notation.
    fn other_notation(&mut self, path: &Placed<SmolStr>, reading: &Reading) {
        let Some(meant) = OtherNotation::find(&path.value) else { return };
        let piece = &path.value[meant.place.clone()];
        let span = path.within(meant.place.start, meant.place.len());
        self.report
            .add(Code::OtherNotation, span.as_ref(), format!("`{piece}` is literal text, not a parameter"))
            .help_with(format!("{}, or escape it if it is meant as it stands: `{}`", meant_by(&meant), escaped(piece)))
            .route(&reading.name);
    }

    fn bad_path(&mut self, problem: PathProblem, text: &Placed<SmolStr>, skipped: usize, reading: &mut Reading) {
        let span = text.within(skipped + problem.place.start, problem.place.len());
        let finding = self.report.add(problem.code, span.as_ref(), problem.message).route(&reading.name);
        if let Some(help) = problem.help {
            finding.help_with(help);
        }
        reading.known.is_sound = false;
    }

    /// Gives each parameter of the chain the rule that is nearest to this route.
    pub(super) fn params(&mut self, required: &[Placed<SmolStr>], reading: &mut Reading) {
        for name in required {
            match reading.path.params.iter_mut().find(|param| param.name == name.value) {
                Some(param) => {
                    param.is_optional = false;
                    let index = reading.path.params.iter().position(|param| param.name == name.value);
                    let index = index.and_then(|index| u16::try_from(index).ok());
                    reading.path.variants.retain(|variant| {
                        index.is_none_or(|index| {
                            !is_in_path(reading.path.params[usize::from(index)].kind)
                                || variant.filled().any(|filled| filled == usize::from(index))
                        })
                    });
                }
                None => {
                    let known: Vec<&str> = reading.path.params.iter().map(|param| param.name.as_str()).collect();
                    let help = if known.is_empty() {
                        "the path has none".to_owned()
                    } else {
                        expected_one_of(&name.value, &known)
                    };
                    let message =
                        format!("`required` names `{}`, which is no parameter of `{}`", name.value, reading.name);
                    self.report
                        .add(Code::UnknownParameter, name.span.as_ref(), message)
                        .help_with(help)
                        .route(&reading.name);
                }
            }
        }
        if reading.path.params.is_empty() {
            return;
        }
        let mut params = std::mem::take(&mut self.params);
        for declared in &reading.path.params {
            let mut check = self.rules.of(&declared.name, declared.shape);
            if check.shape() != declared.shape && !check.declared().is_empty() {
                let message = format!(
                    "the rule of `{}` is of {}, and its path makes {} of it",
                    declared.name,
                    in_words(check.shape()),
                    in_words(declared.shape)
                );
                self.report.add(Code::Rule, reading.known.path_span.as_ref(), message).route(&reading.name);
            }
            if check.shape() != declared.shape {
                check = self.rules.any(declared.shape);
            }
            let is_own = declared.level == reading.level;
            if is_own
                && declared.is_exploded
                && declared.kind == ParamKind::Query
                && self.rules.shape_of(&declared.name).is_none()
            {
                let name = &declared.name;
                let message = format!("`{{?{name}*}}` is a list: all values of `{name}` in the query");
                self.report
                    .add(Code::UntypedList, reading.known.path_span.as_ref(), message)
                    .help_with(format!("write `params.{name}.type = \"array\"` to say so, or `\"object\"` for the rest of the query, names and values"))
                    .route(&reading.name);
            }
            let texts = self.rules.of_texts(&check, declared.kind, declared.join.as_ref()).unwrap_or_else(|_| {
                let message = format!(
                    "the automaton of all values of `{}` would have more than {MOST_STATES} states",
                    declared.name
                );
                self.report
                    .add(Code::RuleTooLarge, reading.known.path_span.as_ref(), message)
                    .help_with("make the rule of its items, or their number, smaller")
                    .route(&reading.name);
                Arc::clone(&check)
            });
            params.push(Param {
                name: declared.name.clone(),
                brief_name: Brief::of(&declared.name),
                level: declared.level,
                kind: declared.kind,
                is_optional: declared.is_optional,
                check,
                texts,
                is_exploded: declared.is_exploded,
            });
        }
        reading.params = self.shared.of(&params);
        params.clear();
        self.params = params;
    }
}

impl<P> RouteRef<'_, P> {
    /// The ways to fill the optional parts of the path, those that fill more from the left first. A path without optional parts has
    /// one. They are made anew with each call, in time that is linear in what they hold.
    #[must_use]
    pub fn path_variants(self) -> Vec<PathVariant> {
        let params = &self.frozen_route().params;
        let of = |name: &str| params.iter().find(|param| param.name == name);
        let shape_of = |name: &str| of(name).map(|param| param.check.shape()).filter(|shape| *shape != Shape::One);
        let mut path = ResolvedPath::default();
        // The path was built of such a text, and so is read without an error.
        let (text, _) = without_lone_slash(self.path().as_str());
        let _ = Template::parse(text).map(|template| path.extend(&template, 0, &shape_of));
        // The parameters of the route stand in the order of its levels, with those of the host.
        let own = |index: &u16| {
            let name = &path.params[usize::from(*index)].name;
            params.iter().zip(0..).find(|(param, _)| param.name == *name).map_or(*index, |(_, own)| own)
        };
        let is_needed = |param: &&Param| !param.is_optional && is_in_path(param.kind);
        let needed = params.iter().filter(is_needed).count();
        let is_filled = |index: usize| is_needed(&&params[index]);
        let variant = |mut variant: PathVariant| {
            for piece in variant.segments.iter_mut().flatten() {
                *piece = piece.map(own);
            }
            variant.tail = variant.tail.map(|(param, kind)| (own(&param), kind));
            variant
        };
        let variants: Vec<PathVariant> = path.variants.iter().cloned().map(variant).collect();
        let has_needed = |one: &&PathVariant| one.filled().filter(|index| is_filled(*index)).count() == needed;
        met(&variants, params).filter(has_needed).cloned().collect()
    }
}

fn is_in_path(kind: ParamKind) -> bool {
    matches!(kind, ParamKind::Segment | ParamKind::Items | ParamKind::Rest)
}

/// What to write in place of another notation.
fn meant_by(meant: &OtherNotation) -> String {
    let rules = meant
        .rules
        .iter()
        .map(|(name, word)| format!(" and `params.{name} = \"{}\"`", usual_word(word).unwrap_or(word)));
    format!("write `{}`{}", meant.path, rules.collect::<String>())
}

/// A literal with its first character escaped.
fn escaped(piece: &str) -> String {
    let mut out = String::new();
    let (first, rest) = piece.split_at(1);
    encode_unreserved(&mut out, first);
    out + rest
}

/// A path as it is joined to that of the parent, and how many bytes of it are left out: a lone slash stands for the parent's own path,
/// so that no `//` comes of joining the two.
pub(super) fn without_lone_slash(path: &str) -> (&str, usize) {
    match path.strip_prefix('/') {
        Some(rest) if rest.is_empty() || is_query(rest) => (rest, 1),
        _ => (path, 0),
    }
}

/// Whether a query follows the first slash of a path.
fn is_query(rest: &str) -> bool {
    rest.starts_with('?') || rest.starts_with("{?") || rest.starts_with("{&") || rest.starts_with("{#")
}

/// The beginning of a text, for an error.
fn beginning(text: &str) -> String {
    let shown: String = text.chars().take(60).collect();
    shown.escape_debug().to_string()
}
