//! From a request to a decision.
//!
//! One look at the table gives an [`Outcome`]: a page, or what is to be done instead. Redirects are followed here, so that
//! the visitor needs but one.

use super::Request;
use super::decision::{Allow, Bad, BadRequest, Decision, NotFound, Redirect, Unmet, WrongMethod};
use super::place::{Aside, Place};
use super::unavailable::Unavailable;
use crate::compile::RETURN;
use crate::link::LinkError;
use crate::lookup::{
    Accepted, Answers, BadPath, Destination, LeafId, MOST_BYTES, Match, NeedId, NoLists, PageId, Reading, RedirectRule,
    Remembered, RouteId, Table, Target, Unanswered, host_in,
};
use crate::template::percent::{clean_query_into, escape_bytes_into};
use crate::template::{Value, Values};

/// How many redirects are followed before they are taken for a loop.
const MOST_STEPS: usize = 8;

/// What one look at the table comes to, where that is no page to show.
enum Outcome {
    /// The page has another address.
    Redirect(RedirectStep),
    /// The visitor is sent to sign in, or refused.
    Unmet(NeedId, Option<String>),
    /// Nothing has the URL; with the route whose subtree lacks it and the reason, where a redirect led nowhere.
    NotFound(Option<(RouteId, String)>),
    WrongMethod(Accepted),
    BadRequest(BadPath),
}

impl From<Unanswered> for Outcome {
    fn from(unanswered: Unanswered) -> Self {
        match unanswered {
            Unanswered::Nothing => Self::NotFound(None),
            Unanswered::NonCanonical(address) => canonical(address),
            Unanswered::OtherMethods(accepted) => Self::WrongMethod(accepted),
            Unanswered::Bad(reason) => Self::BadRequest(reason),
        }
    }
}

/// One redirect.
struct RedirectStep {
    status: u16,
    location: String,
    route: Option<RouteId>,
    is_external: bool,
}

/// What is asked beside the URL.
#[derive(Clone, Copy)]
struct Asked<'a> {
    method: &'a str,
    answers: &'a dyn Answers,
}

impl<P> Table<P> {
    /// Decides how to answer a request.
    ///
    /// # Example
    /// ```
    /// use vivid_lane::{Decision, Request, Table};
    ///
    /// let table = Table::from_toml(r#"
    ///     [site]
    ///     fallback = "lost"
    ///     [routes.plates]
    ///     path = "/plates"
    ///     page = "plate-list"
    ///     fallback = "no-such-plate"
    /// "#)?;
    /// let Decision::NotFound(missing) = table.decide(&Request::get("/plates/7")) else { panic!() };
    /// assert_eq!(missing.fallback().unwrap(), "no-such-plate");
    /// # Ok::<(), vivid_lane::TableError>(())
    /// ```
    #[must_use]
    pub fn decide<'u>(&self, request: &Request<'u>) -> Decision<'_, 'u, P> {
        match request.counters {
            None => {
                let answers = Remembered::asking(request.lists, request.needs);
                let mut decision = self.decide_with(request, &answers, &mut None);
                if answers.were_asked() {
                    decision = decision.hung_on(answers);
                }
                decision
            }
            Some(counters) => {
                let watching = counters.watching(request.lists);
                let answers = Remembered::asking(&watching, request.needs);
                let mut route = None;
                let decision = self.decide_with(request, &answers, &mut route).hung_on(answers);
                counters.note(&decision, route);
                decision
            }
        }
    }

    /// Finds the route that answers a `GET` request for a URL with a page, and the values in the URL.
    ///
    /// `None` for every other decision: a URL that nothing has, that redirects, or that is no URL at all.
    /// [`decide`](Self::decide) tells them apart, and knows other methods, needs and live lists; here every
    /// need counts as met, and no value as listed.
    #[must_use]
    pub fn find<'u>(&self, url: &'u str) -> Option<Match<'_, 'u, P>> {
        let (mut target, asked) = (Target::default(), Asked { method: "GET", answers: &NoLists });
        match self.frozen().lookup(url, None, asked.method, asked.answers, &mut target) {
            Ok(id) => match self.open_page(id, &target) {
                Some(page) => Some(Match::of_page(self, page, Reading::new(self.frozen(), id, &mut target))),
                None => self.route_outcome(url, Reading::new(self.frozen(), id, &mut target), asked).ok(),
            },
            Err(_) => None,
        }
    }

    /// Decides with these answers. If something counts decisions, it learns which route took part; that of a page is in the
    /// decision. A decision is large, so it is made where it is wanted.
    #[inline(never)]
    pub(super) fn decide_with<'u>(
        &self,
        request: &Request<'u>,
        answers: &Remembered<'_>,
        route: &mut Option<RouteId>,
    ) -> Decision<'_, 'u, P> {
        let Ok(url) = request.url else { return self.not_utf8(request, answers, route) };
        if request.method == "OPTIONS" && url == "*" {
            return self.about_the_server();
        }
        let asked = Asked { method: request.method, answers };
        let mut target = Target::default();
        // The same as in `find`, written again: a match that is handed on is copied, which makes a decision a fifth dearer.
        let outcome = match self.frozen().lookup(url, request.host, asked.method, asked.answers, &mut target) {
            Ok(id) => match self.open_page(id, &target) {
                Some(page) => {
                    return Decision::Page(Match::of_page(self, page, Reading::new(self.frozen(), id, &mut target)));
                }
                None => match self.route_outcome(url, Reading::new(self.frozen(), id, &mut target), asked) {
                    Ok(found) => return Decision::Page(found),
                    Err(outcome) => outcome,
                },
            },
            Err(unanswered) => unanswered.into(),
        };
        let decision;
        (decision, *route) = self.settle(request, url, outcome, asked);
        decision
    }

    /// A request whose first bytes alone are UTF-8. What is sent in a query never harms its page: its bytes are escaped, which
    /// changes nothing of what they mean.
    #[cold]
    fn not_utf8<'u>(
        &self,
        request: &Request<'u>,
        answers: &Remembered<'_>,
        route: &mut Option<RouteId>,
    ) -> Decision<'_, 'u, P> {
        let bytes = request.url();
        if bytes.len() > MOST_BYTES {
            return Decision::BadRequest(BadRequest { kind: Bad::Path(BadPath::Long) });
        }
        let before = bytes.utf8_chunks().next().map_or("", |chunk| chunk.valid());
        // A query in the fragment is none that is sent.
        if before.split_once('?').is_none_or(|(path, _)| path.contains('#')) {
            return Decision::BadRequest(BadRequest { kind: Bad::Utf8 });
        }
        // All of them: what is UTF-8 may hold what no field of a header can.
        let mut location = String::with_capacity(bytes.len());
        escape_bytes_into(&mut location, bytes);
        let asked = Asked { method: request.method, answers };
        let (decision, part) = self.settle(request, before, canonical(location), asked);
        *route = part;
        decision
    }

    /// RFC 9110, section 9.3.7: the asterisk asks about the server as a whole.
    #[inline(never)]
    fn about_the_server<'u>(&self) -> Decision<'_, 'u, P> {
        let methods = self.frozen().routes.iter().filter(|route| route.answers()).flat_map(|route| &*route.methods.0);
        Decision::Options(allow(methods.map(|method| &**method)))
    }

    /// What comes of a look that gave no page. Redirects are followed to their end, so that the visitor needs but one.
    #[inline(never)]
    fn settle<'u>(
        &self,
        request: &Request<'u>,
        url: &'u str,
        outcome: Outcome,
        mut asked: Asked<'_>,
    ) -> (Decision<'_, 'u, P>, Option<RouteId>) {
        let mut step = match outcome {
            Outcome::Redirect(step) => step,
            outcome => return (self.decision(request, outcome, None, asked), None),
        };
        let host = host_in(url).or(request.host);
        for _ in 0..MOST_STEPS {
            if step.status == 303 || (step.status < 303 && asked.method == "POST") {
                asked.method = "GET";
            }
            let outcome = if step.is_external { None } else { self.step(&step.location, host, asked).err() };
            let next = match outcome {
                None => {
                    let route = step.route;
                    return (self.decision(request, Outcome::Redirect(step), None, asked), route);
                }
                Some(Outcome::Redirect(next)) => next,
                // The request stands where the address does that it leads to.
                Some(outcome) => return (self.decision(request, outcome, Some(step.location), asked), step.route),
            };
            // What a route declares goes before what tidying up an address would say, and a redirect for now must not
            // be taken for one for good.
            let is_for_good = |status| matches!(status, 301 | 308);
            let takes_over = match step.route {
                Some(_) => is_for_good(step.status) && !is_for_good(next.status),
                None => next.route.is_some(),
            };
            let status = if takes_over { next.status } else { step.status };
            step = RedirectStep { status, route: step.route.or(next.route), ..next };
        }
        let route = step.route;
        let why = route.map(|route| (route, "its redirects lead in a circle".to_owned()));
        (self.decision(request, Outcome::NotFound(why), None, asked), route)
    }

    fn decision<'u>(
        &self,
        request: &Request<'u>,
        outcome: Outcome,
        address: Option<String>,
        asked: Asked<'_>,
    ) -> Decision<'_, 'u, P> {
        let frozen = self.frozen();
        let place = |led_nowhere| Place::new(self, *request, Aside::new(address, led_nowhere));
        match outcome {
            Outcome::Redirect(RedirectStep { status, location, route, is_external }) => {
                let route = route.map(|route| self.route_ref(route).name());
                Decision::Redirect(Redirect { status, location, route, is_external })
            }
            Outcome::Unmet(need, location) => {
                let location = location.map(|location| self.sign_in(location, request.host, asked));
                let need = &frozen.needs[usize::from(need.0)].name;
                Decision::Unmet(Unmet { need, location, place: Box::new(place(None)) })
            }
            Outcome::NotFound(led_nowhere) => Decision::NotFound(NotFound { place: place(led_nowhere) }),
            Outcome::WrongMethod(accepted) => {
                let routes = accepted.iter().map(|&leaf| frozen.route(frozen.tree.leaf(leaf).route));
                let allow = allow(routes.flat_map(|route| &*route.methods.0).map(|method| &**method));
                match request.method {
                    "OPTIONS" => Decision::Options(allow),
                    _ => Decision::WrongMethod(WrongMethod { allow, place: Box::new(place(None)) }),
                }
            }
            Outcome::BadRequest(reason) => Decision::BadRequest(BadRequest { kind: Bad::Path(reason) }),
        }
    }

    /// One look at the table.
    fn step<'u>(&self, url: &'u str, host: Option<&'u str>, asked: Asked<'_>) -> Result<Match<'_, 'u, P>, Outcome> {
        let mut target = Target::default();
        let id = self.frozen().lookup_outlined(url, host, (asked.method, asked.answers), &mut target)?;
        self.route_outcome(url, Reading::new(self.frozen(), id, &mut target), asked)
    }

    /// The page, where the path alone has it shown to whoever asks.
    #[inline(always)]
    fn open_page(&self, id: LeafId, target: &Target<'_>) -> Option<PageId> {
        let leaf = self.frozen().tree.leaf(id);
        if target.sent.query.is_none() || leaf.ignores_query { leaf.open_page } else { None }
    }

    /// What comes of a route that may ask for more than its URL.
    #[inline(never)]
    fn route_outcome<'t, 'u>(
        &'t self,
        url: &str,
        reading: Reading<'t, 'u>,
        asked: Asked<'_>,
    ) -> Result<Match<'t, 'u, P>, Outcome> {
        let frozen = self.frozen();
        if let Some(onward) = &reading.route().extras.onward {
            return Err(self.redirect(onward, &reading));
        }
        if reading.needless_values() > 0
            && let Some(address) = self.without_needless(&reading, asked.answers)
        {
            return Err(canonical(address));
        }
        let is_unmet = |need: &&NeedId| !asked.answers.is_met(&frozen.needs[usize::from(need.0)].name);
        if let Some(&need) = reading.route().extras.needs.iter().find(is_unmet) {
            return Err(Outcome::Unmet(need, self.place_for(need, &reading, url, asked)));
        }
        Match::new(self, reading).ok_or(Outcome::NotFound(None))
    }

    /// What a redirect makes of the values of its address.
    fn redirect(&self, onward: &RedirectRule, reading: &Reading<'_, '_>) -> Outcome {
        let step = |url, is_external| {
            let location = self.with_rest(url, reading);
            let route = Some(reading.route_id());
            Outcome::Redirect(RedirectStep { status: onward.status, location, route, is_external })
        };
        match &onward.aim {
            Destination::Url(template) => step(template.expand(&reading.values()), true),
            Destination::Route { to, values } => {
                let given = values.iter().filter_map(|(name, filling)| Some((&**name, filled(filling, reading)?)));
                match self.link_to(*to, given.collect()).to_any_url() {
                    Ok(url) => step(url, false),
                    Err(error) => Outcome::NotFound(Some((*to, error.to_string()))),
                }
            }
        }
    }

    /// The address without the values that are there for nothing, as far as they can be left out; `None` where none can, or
    /// where another route would answer.
    fn without_needless(&self, reading: &Reading<'_, '_>, answers: &dyn Answers) -> Option<String> {
        let short = self.link_to(reading.route_id(), reading.values()).to_url().ok()?;
        let method = reading.route().methods.0.first().map_or("GET", |method| &**method);
        let found = self.frozen().read(&short, method, answers)?;
        let is_shorter = found.route_id() == reading.route_id() && found.needless_values() < reading.needless_values();
        is_shorter.then(|| self.with_rest(short, reading))
    }

    /// The page to which people are sent who do not meet a need, with the way back.
    fn place_for(&self, need: NeedId, reading: &Reading<'_, '_>, url: &str, asked: Asked<'_>) -> Option<String> {
        let frozen = self.frozen();
        let to = frozen.needs[usize::from(need.0)].otherwise?;
        let own = reading.route();
        let mut values = Values::new();
        for param in frozen.route(to).params.iter().filter(|param| &*param.name != RETURN) {
            let known = own.params.iter().position(|known| known.name == param.name && known.kind == param.kind);
            if let Some(value) = known.and_then(|index| reading.value_at(index)) {
                values.insert(&*param.name, value);
            }
        }
        // Coming back is a `GET`, so only what answers one is a place to come back to.
        let is_read =
            matches!(asked.method, "GET" | "HEAD") || self.frozen().shows_page(url, reading.sent.host, asked.answers);
        let link = self.link_to(to, values);
        let wanted = is_read.then(|| link.clone().set(RETURN, frozen.site.address_of(&reading.sent)));
        let url: Result<String, LinkError> =
            wanted.map_or_else(|| link.to_url(), |wanted| wanted.to_url().or_else(|_| link.to_url()));
        url.ok()
    }

    /// The place to sign in may have needs of its own, which are met elsewhere: where does one begin?
    fn sign_in(&self, first: String, host: Option<&str>, asked: Asked<'_>) -> String {
        let mut location = first;
        for _ in 0..MOST_STEPS {
            match self.step(&location, host, Asked { method: "GET", ..asked }) {
                Err(Outcome::Unmet(_, Some(next))) => location = next,
                _ => break,
            }
        }
        location
    }

    /// A URL with the pairs of the query that the route does not know, as they were sent.
    pub(super) fn with_rest(&self, mut url: String, reading: &Reading<'_, '_>) -> String {
        let fragment = if self.frozen().site.is_in_fragment { None } else { url.find('#') };
        let fragment = fragment.map_or_else(String::new, |at| url.split_off(at));
        let name = |pair: &str| pair.split('=').next().unwrap_or_default().to_owned();
        let query = url.split_once('?').map_or("", |(_, query)| query);
        let known: Vec<String> = query.split('&').map(name).collect();
        for pair in reading.unknown_pairs().filter(|pair| !known.contains(&name(pair))) {
            url.push(if url.contains('?') { '&' } else { '?' });
            clean_query_into(&mut url, pair);
        }
        url + &fragment
    }
}

impl<'t, 'u, P> Decision<'t, 'u, P> {
    /// The decision, once it is known what it hung on: where a question had no answer, that is all there is to say.
    #[cold]
    pub(super) fn hung_on(self, answers: Remembered<'_>) -> Self {
        if let Some((question, retry_after)) = answers.unanswered() {
            return Self::Unavailable(Unavailable { question, retry_after });
        }
        match self {
            Self::NotFound(missing) => Self::NotFound(NotFound { place: missing.place.knowing(answers) }),
            Self::Unmet(unmet) => Self::Unmet(Unmet { place: Box::new(unmet.place.knowing(answers)), ..unmet }),
            Self::WrongMethod(wrong) => {
                Self::WrongMethod(WrongMethod { place: Box::new(wrong.place.knowing(answers)), ..wrong })
            }
            other => other,
        }
    }
}

/// The redirect to an address in its canonical form.
fn canonical(location: String) -> Outcome {
    Outcome::Redirect(RedirectStep { status: 308, location, route: None, is_external: false })
}

/// The methods as they are listed: `GET` brings `HEAD`, and `OPTIONS` is answered everywhere.
fn allow<'t>(methods: impl Iterator<Item = &'t str>) -> Allow<'t> {
    let mut allow: Vec<&str> = methods.collect();
    if allow.contains(&"GET") {
        allow.push("HEAD");
    }
    allow.push("OPTIONS");
    allow.sort_unstable();
    allow.dedup();
    Allow { allow }
}

/// What a redirect gives a parameter; `None` where a value for it is absent.
fn filled(filling: &[Result<Box<str>, u16>], reading: &Reading<'_, '_>) -> Option<Value> {
    if let [Err(index)] = filling {
        return reading.value_at(usize::from(*index));
    }
    let mut text = String::new();
    for piece in filling {
        match piece {
            Ok(literal) => text.push_str(literal),
            Err(index) => text.push_str(reading.value_at(usize::from(*index))?.as_text()?),
        }
    }
    Some(Value::Text(text))
}
