//! Whether values may stand in a link, and whether they are read back from it.

use std::borrow::Cow;

use super::error::{LinkError, Problem};
use super::make::Link;
use crate::declare::nearest;
use crate::lookup::{Answer, Lists, Param, ParamKind, Reading, Remembered, Route, normal_host};
use crate::rule::{Check, Many, Shape};
use crate::template::percent::kinds;
use crate::template::{Operator, Part, Value, Values};

/// What happens to values that equal the default of their rule.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Defaults {
    /// They are left out of the URL, where they may be.
    LeftOut,
    /// Those of the path are written.
    Written,
}

impl<P> Link<'_, P> {
    /// The URL, with every word about what is wrong with it.
    pub(super) fn checked_url(&self, route: &Route) -> Result<String, LinkError> {
        let short = self.checked(route, Defaults::LeftOut)?;
        let url = self.write(route, &short)?;
        let Err(error) = self.read_back(route, &short, &url) else { return Ok(url) };
        // Where leaving a default out lets another reading in, it is written.
        let long = self.checked(route, Defaults::Written)?;
        let url = self.write(route, &long)?;
        if long != short && self.read_back(route, &long, &url).is_ok() { Ok(url) } else { Err(error) }
    }

    /// The URL of a redirect: whatever answers it.
    pub(crate) fn to_any_url(&self) -> Result<String, LinkError> {
        let route = self.target()?;
        let link = self.with_values();
        let values = link.checked(route, Defaults::LeftOut)?;
        link.write(route, &values)
    }

    /// The value that the link gives a parameter.
    pub(super) fn given(&self, param: &Param) -> Option<Value> {
        let text = self.text_of(&param.name).map(Value::from);
        let given =
            text.as_ref().or_else(|| self.values().get(&param.name).or_else(|| self.inherited().get(&param.name)));
        given.map(|value| in_form(param, value)).or_else(|| param.check.default.clone())
    }

    /// The values that go into the template: all checked, defaults filled in or left out.
    fn checked(&self, route: &Route, defaults: Defaults) -> Result<Cow<'_, Values>, LinkError> {
        for (name, _) in self.values().iter() {
            if !route.params.iter().any(|param| *param.name == *name) {
                let near = nearest(name, route.params.iter().map(|param| &*param.name));
                let (name, near) = (name.to_owned(), near.map(str::to_owned));
                return Err(self.error(Problem::UnknownParam { name, near }));
            }
        }
        if self.inherited().is_empty() && route.takes_values_as_they_are {
            for param in &*route.params {
                match self.values().get(&param.name) {
                    Some(value) => self.check(param, value)?,
                    None if param.is_optional => {}
                    None => return Err(self.error(Problem::Missing { name: param.name.to_string() })),
                }
            }
            return Ok(Cow::Borrowed(self.values()));
        }
        let mut checked = Values::new();
        for param in &*route.params {
            let name = &*param.name;
            let default = param.check.default.as_ref();
            let may_go = param.is_optional && (defaults == Defaults::LeftOut || param.kind == ParamKind::Query);
            match self.values().get(name).or_else(|| self.inherited().get(name)) {
                None if may_go || (param.is_optional && default.is_none()) => {}
                None => match default {
                    Some(default) => checked.insert(name, default.clone()),
                    None => return Err(self.error(Problem::Missing { name: name.to_owned() })),
                },
                Some(value) => {
                    let value = in_form(param, value);
                    if may_go && default == Some(&value) {
                        continue;
                    }
                    self.check(param, &value)?;
                    checked.insert(name, value);
                }
            }
        }
        self.fill_gaps(route, &mut checked)?;
        Ok(Cow::Owned(checked))
    }

    /// What is filled from left to right has no gaps: the default of a value before another is written after all.
    fn fill_gaps(&self, route: &Route, values: &mut Values) -> Result<(), LinkError> {
        for part in route.path.parts() {
            let Part::Expression(expression) = part else { continue };
            if !matches!(expression.operator(), Operator::Segment | Operator::Label) {
                continue;
            }
            let mut variables = expression.variables();
            let last = variables.rfind(|variable| values.get(variable.name()).is_some());
            // What is left stands before it.
            let Some(last) = last else { continue };
            for variable in variables {
                if values.get(variable.name()).is_some() {
                    continue;
                }
                let param = route.params.iter().find(|param| *param.name == *variable.name());
                match param.and_then(|param| param.check.default.as_ref()) {
                    Some(default) => values.insert(variable.name(), default.clone()),
                    None => {
                        let (name, before) = (last.name().to_owned(), variable.name().to_owned());
                        return Err(self.error(Problem::Gap { name, before }));
                    }
                }
            }
        }
        Ok(())
    }

    pub(super) fn check(&self, param: &Param, value: &Value) -> Result<(), LinkError> {
        let name = &*param.name;
        let form = |expected| Err(self.error(Problem::Form { name: name.to_owned(), expected }));
        let many = |count: usize| {
            let (least, most) = param.check.values.count();
            if (usize::from(least)..=usize::from(most)).contains(&count) {
                return Ok(());
            }
            let most = (most != u16::MAX).then_some(usize::from(most));
            Err(self.error(Problem::Count { name: name.to_owned(), found: count, least: usize::from(least), most }))
        };
        match (&param.check.values, value) {
            (Many::One, Value::Text(text)) => self.check_text(param, &param.check, text),
            (Many::One, _) => form("one value"),
            (Many::List { items: rule, .. }, Value::List(items)) => {
                many(items.len())?;
                items.iter().try_for_each(|item| self.check_text(param, rule, item))?;
                self.each_once(param, items)
            }
            (Many::List { .. }, _) => form("a list of texts"),
            (Many::Pairs { names, values, .. }, Value::Pairs(pairs)) => {
                many(pairs.len())?;
                pairs.iter().try_for_each(|(key, text)| {
                    self.check_text(param, names, key)?;
                    self.check_text(param, values, text)
                })
            }
            (Many::Pairs { .. }, _) => form("a list of pairs"),
        }
    }

    fn each_once(&self, param: &Param, items: &[String]) -> Result<(), LinkError> {
        match param.check.refusal_of_number(items.len(), items.iter().map(String::as_str)) {
            Some(reason) => {
                let (name, value) = (param.name.to_string(), items.join(","));
                Err(self.error(Problem::Refused { name, value, reason }))
            }
            None => Ok(()),
        }
    }

    /// Checks one text: the value, or an item of it.
    fn check_text(&self, param: &Param, rule: &Check, text: &str) -> Result<(), LinkError> {
        let name = &*param.name;
        let is_any = rule.is_any();
        let is_in_query = matches!(param.kind, ParamKind::Query | ParamKind::Pairs);
        if !is_in_query || !is_any {
            self.no_controls(name, text)?;
        }
        let may_be_empty = (is_in_query || param.kind == ParamKind::Fragment) && is_any;
        if text.is_empty() && !may_be_empty {
            return Err(self.error(Problem::Empty { name: name.to_owned() }));
        }
        match rule.refusal(text) {
            Some(reason) if !may_be_empty => {
                let (name, value) = (name.to_owned(), text.to_owned());
                Err(self.error(Problem::Refused { name, value, reason }))
            }
            _ => Ok(()),
        }
    }

    fn no_controls(&self, name: &str, text: &str) -> Result<(), LinkError> {
        if !kinds(text.as_bytes()).has_control() {
            return Ok(());
        }
        match text.chars().find(char::is_ascii_control) {
            Some(found) => Err(self.error(Problem::Control { name: name.to_owned(), found })),
            None => Ok(()),
        }
    }

    /// Would the URL be read as this route with these values?
    fn read_back(&self, route: &Route, values: &Values, url: &str) -> Result<(), LinkError> {
        let lists = OwnLists { route, values };
        let answers = Remembered::asking(&lists, &|_: &str| true);
        let method = route.methods.0.first().map_or("GET", |method| &**method);
        let Some(found) = self.table().frozen().read(url, method, &answers) else {
            return Err(self.error(Problem::Unread { url: url.to_owned() }));
        };
        if *found.route().name != *route.name {
            let by = found.route().name.to_string();
            return Err(self.error(Problem::Captured { by, url: url.to_owned() }));
        }
        for (index, param) in route.params.iter().enumerate() {
            let given = values.get(&param.name);
            if param.kind != ParamKind::Fragment && !is_same(&found, index, param, given) {
                let (name, given, read) = (param.name.to_string(), given.cloned(), found.value_at(index));
                return Err(self.error(Problem::NotReversible { name, given, read, url: url.to_owned() }));
            }
        }
        Ok(())
    }
}

/// Whether the value that was read back is the one that was given, or the default if none was.
fn is_same(found: &Reading<'_, '_>, index: usize, param: &Param, given: Option<&Value>) -> bool {
    if let Some(Value::Text(given)) = given {
        return found.text(index).is_some_and(|read| read == given.as_str());
    }
    match (found.value_at(index), given) {
        (None, None) => true,
        (Some(read), Some(given)) => read == *given,
        (Some(read), None) => param.check.default.as_ref() == Some(&read),
        _ => false,
    }
}

/// A list of one item may be given as a text.
fn in_form(param: &Param, value: &Value) -> Value {
    match (param.kind, value) {
        (_, Value::Text(text)) if param.check.shape() == Shape::List => Value::List(vec![text.clone()]),
        (ParamKind::Host, Value::Text(text)) => Value::Text(normal_host(text).into_owned()),
        _ => value.clone(),
    }
}

/// The lists as far as a link knows them: its own values are in the lists that they are said to be in.
struct OwnLists<'a> {
    route: &'a Route,
    values: &'a Values,
}

impl Lists for OwnLists<'_> {
    fn contains(&self, list: &str, value: &str) -> Answer {
        let is_own = |param: &Param| match self.values.get(&param.name) {
            Some(Value::Text(text)) => text == value,
            Some(Value::List(items)) => items.iter().any(|item| item == value),
            Some(Value::Pairs(pairs)) => pairs.iter().any(|(name, text)| name == value || text == value),
            None => false,
        };
        let names_list = |param: &&Param| {
            param.check.list.as_deref() == Some(list) || param.check.list_of_items().contains(&Some(list))
        };
        self.route.params.iter().filter(names_list).any(is_own).into()
    }
}
