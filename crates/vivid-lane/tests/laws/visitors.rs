//! Laws of requests that lead to no page, and of what visitors are asked.

use std::cell::RefCell;

use proptest::prelude::*;
use vivid_lane::decide::Step;
use vivid_lane::{Answer, Decision, Need, Question, Request, RouteSpec, Rule, Table, TableSpec};

use crate::scaled;

/// What a route says of the page for what is missing under it.
#[derive(Debug, Clone)]
enum Fallback {
    Inherited,
    Own,
    Off,
}

/// A route of a tree in which no two siblings share a value, so that a URL stands in one place only.
#[derive(Debug, Clone)]
struct Node {
    takes_number: bool,
    has_page: bool,
    has_frame: bool,
    fallback: Fallback,
    children: Vec<Node>,
}

fn node() -> impl Strategy<Value = Node> {
    let fallback = prop_oneof![4 => Just(Fallback::Inherited), 1 => Just(Fallback::Own), 1 => Just(Fallback::Off)];
    let alone = (any::<bool>(), any::<bool>(), any::<bool>(), fallback);
    let leaf = alone.prop_map(|(takes_number, has_page, has_frame, fallback)| Node {
        takes_number,
        has_page,
        has_frame,
        fallback,
        children: Vec::new(),
    });
    leaf.prop_recursive(4, 12, 3, |inner| {
        (inner.clone(), prop::collection::vec(inner, 1..3)).prop_map(|(node, children)| Node { children, ..node })
    })
}

impl Node {
    /// The route, and for it and each descendant: name, a URL, frames, parameters, and the page for what is missing.
    fn declare(&self, name: &str, at: usize, above: &Place, places: &mut Vec<Place>) -> RouteSpec {
        let full = if above.name.is_empty() { name.to_owned() } else { format!("{}.{name}", above.name) };
        let mut place = Place { name: full.clone(), ..above.clone() };
        let mut route = RouteSpec::new(name);
        // At most the first of some siblings takes numbers.
        if self.takes_number && at == 0 {
            let param = format!("n{}", places.len());
            route = route.path(format!("/{{{param}}}")).param(&*param, Rule::integer());
            place.url.push_str("/17");
            place.params.push(format!("{param}=17"));
        } else {
            route = route.path(format!("/{name}"));
            place.url.push_str(&format!("/{name}"));
        }
        if self.has_page || self.children.is_empty() {
            route = route.page("page");
        }
        if self.has_frame {
            route = route.frame(format!("frame-{full}"));
            place.frames.push(format!("frame-{full}"));
        }
        match self.fallback {
            Fallback::Inherited => {}
            Fallback::Own => {
                place.fallback = Some(format!("lost-{full}"));
                route = route.fallback(format!("lost-{full}"));
            }
            Fallback::Off => {
                place.fallback = None;
                route = route.no_fallback();
            }
        }
        places.push(place.clone());
        for (at, child) in self.children.iter().enumerate() {
            route = route.route(child.declare(&format!("s{at}"), at, &place, places));
        }
        route
    }
}

/// What is true of a URL under a route.
#[derive(Debug, Clone, Default)]
struct Place {
    name: String,
    url: String,
    frames: Vec<String>,
    params: Vec<String>,
    fallback: Option<String>,
}

/// The questions that a decision asks at once, and the decision, where each question has the answer of its index.
fn asked(table: &Table, url: &str, answer: &dyn Fn(usize) -> Answer) -> (Vec<Question>, String) {
    let questions = RefCell::new(Vec::new());
    let ask = |question| {
        questions.borrow_mut().push(question);
        answer(questions.borrow().len() - 1)
    };
    let lists = |list: &str, value: &str| ask(Question::Listed { list: list.into(), value: value.into() });
    let meets = |need: &str| ask(Question::Meets { need: need.into() });
    let decision = told(&table.decide(&Request::get(url).lists(&lists).meets(&meets)));
    (questions.into_inner(), decision)
}

fn told(decision: &Decision<'_, '_>) -> String {
    match decision {
        Decision::Page(found) => format!("200 {} {:?}", found.route().name(), found.values()),
        Decision::Unavailable(unavailable) => format!("503 {:?}", unavailable.question()),
        other => format!("{} {:?}", other.status(), other.location()),
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: scaled(128), max_shrink_iters: 400, ..ProptestConfig::default() })]

    /// A URL that goes on from a route where nothing does stands under that route: within its frames, with its values,
    /// with the page of the nearest ancestor that names one.
    #[test]
    fn what_is_missing_stands_under_the_deepest_route(
        nodes in prop::collection::vec(node(), 1..4),
        rest in prop::sample::select(vec!["/Q9", "/Q9/s0", "/-/17/s1"]),
    ) {
        let root = Place { frames: vec!["shell".into()], fallback: Some("lost".into()), ..Place::default() };
        let mut places = Vec::new();
        let table = nodes.iter().enumerate().fold(TableSpec::new().frame("shell").fallback("lost"), |table, (at, node)| {
            table.route(node.declare(&format!("s{at}"), at, &root, &mut places))
        });
        let table = table.build().expect("a table");
        places.push(root);
        for place in places {
            let url = format!("{}{rest}", place.url);
            let Decision::NotFound(missing) = table.decide(&Request::get(&url)) else { panic!("{url}") };
            prop_assert_eq!(missing.fallback(), place.fallback.as_ref(), "{}", url);
            prop_assert_eq!(missing.frames(), place.frames, "{}", url);
            let position = missing.position();
            prop_assert_eq!(position.as_ref().map_or("", |position| position.route().name()), &place.name, "{}", url);
            let Some(position) = position else { continue };
            let params: Vec<String> = position.texts().map(|(name, text)| format!("{name}={text}")).collect();
            prop_assert_eq!(params, place.params, "{}", url);
            // Links start from there as they do from a page, and what is kept says the same.
            if position.route().page().is_some() {
                let (name, kept) = (position.route().name(), position.keep_position());
                prop_assert_eq!(position.link(name).to_url().expect("a link"), &*place.url);
                prop_assert_eq!(kept.get().link(name).to_url().expect("a link"), &*place.url);
            }
        }
    }

    /// Each question is asked once at most, at once as in steps; a need only where the decision hangs on it; and where one
    /// has no answer, that is the decision.
    #[test]
    fn each_question_is_asked_once(
        routes in prop::collection::vec((0usize..4, any::<bool>(), any::<bool>(), any::<bool>()), 1..7),
        url in prop::sample::select(vec!["/a", "/a/b", "/a/b/c", "//a", "/a/", "/old/a", "/old/a/b", "/%61/b"]),
        bits in any::<u32>(),
        fails in any::<prop::sample::Index>(),
    ) {
        const PATHS: [&str; 4] = ["/{x}", "/{x}/{y}", "/a{/y}", "/{+z}"];
        let site = TableSpec::new().overlaps(vivid_lane::declare::Overlaps::FirstDeclared).list("one").list("two");
        let site = site.need(Need::new("member")).need(Need::new("guest").otherwise("join"));
        let site = site.route(RouteSpec::new("join").path("/join{?return}").page("join"));
        let site = routes.iter().enumerate().fold(site, |site, (at, &(path, first, second, needs))| {
            let list = |is_first: bool| Rule::listed(if is_first { "one" } else { "two" });
            let route = RouteSpec::new(format!("r{at}")).path(PATHS[path]).page("page");
            let route = route.param("x", list(first)).param("y", list(second)).param("z", list(first));
            let route = if needs { route.needs([if second { "member" } else { "guest" }]) } else { route };
            let old = RouteSpec::new(format!("old{at}")).path(format!("/old{}", PATHS[path])).redirect(&*format!("r{at}"));
            site.route(route).route(old)
        });
        let table = site.build().expect("a table");
        let answer = |at: usize| Answer::from(bits >> (at % 32) & 1 == 1);
        let (questions, decision) = asked(&table, url, &answer);
        for (at, question) in questions.iter().enumerate() {
            prop_assert!(!questions[..at].contains(question), "{:?} is asked twice for {}", question, url);
        }
        // In steps: the same questions, in the same order as far as they are needed, and the same decision.
        let mut steps = table.decide_in_steps(Request::get(url));
        let mut put = Vec::new();
        let in_steps = loop {
            match steps.resume() {
                Step::Done(decision) => break told(&decision),
                Step::Ask(question) => {
                    let known = questions.iter().position(|known| *known == question);
                    prop_assert!(!put.contains(&question), "{:?} is put twice for {}", question, url);
                    prop_assert!(known.is_some(), "{:?} is put in steps only, for {}", question, url);
                    put.push(question.clone());
                    steps.answer(question, answer(known.unwrap_or_default()));
                }
            }
        };
        prop_assert_eq!(&in_steps, &decision, "{}", url);
        // A question that cannot be answered is the decision.
        if !questions.is_empty() {
            let at = fails.index(questions.len());
            let failing = |index: usize| if index == at { Answer::Unknown { retry_after: None } } else { answer(index) };
            prop_assert_eq!(asked(&table, url, &failing).1, format!("503 {:?}", questions[at]), "{}", url);
        }
        // A need is no matter of a decision that comes out the same without it.
        let lists = |list: &str, value: &str| {
            let known = questions.iter().position(|known| matches!(known, Question::Listed { list: l, value: v } if l == list && v == value));
            known.map_or(Answer::No, answer)
        };
        let with = |is_met: bool| told(&table.decide(&Request::get(url).lists(&lists).meets(&|_: &str| is_met)));
        if with(true) == with(false) {
            prop_assert!(!questions.iter().any(|question| matches!(question, Question::Meets { .. })), "{}", url);
        }
    }
}
