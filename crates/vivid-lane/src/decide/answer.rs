//! From a request to a decision.

use super::Request;
use super::decision::{Allow, Bad, BadRequest, Decision, Missing, Redirect, Unmet};
use crate::compile::RETURN;
use crate::link::LinkError;
use crate::matcher::{
    Accepted, BadPath, Destination, Lists, Looked, Match, NeedId, NoLists, Onward, PageId, Parsed, Parts, Reading,
    RouteId, ShortWay, Table, Target,
};
use crate::template::percent::clean_query_into;
use crate::template::{Value, Values};

/// How many redirects are followed before they are taken for a loop.
const MOST_HOPS: usize = 8;

/// What one look at the table says, where that is no page to show.
enum Turn {
    /// The page has another address.
    Onward(Hop),
    /// The visitor is sent to sign in, or refused.
    Unmet(NeedId, Option<String>),
    Missing(Option<PageId>, Option<String>),
    OtherMethods(Accepted),
    Bad(BadPath),
}

/// One redirect.
struct Hop {
    status: u16,
    location: String,
    route: Option<RouteId>,
    is_external: bool,
}

/// What is asked beside the URL.
#[derive(Clone, Copy)]
struct Question<'a> {
    method: &'a str,
    lists: &'a dyn Lists,
    meets: &'a dyn Fn(&str) -> bool,
}

impl<P> Table<P> {
    /// Decides what to do with a request.
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
            None => self.decide_with(request, request.lists).0,
            Some(counters) => {
                let (decision, route) = self.decide_with(request, &counters.watching(request.lists));
                counters.note(&decision, route);
                decision
            }
        }
    }

    /// The route that answers a `GET` of a URL with a page, and the values in the URL.
    ///
    /// `None` for every other decision: a URL that nothing has, that redirects, or that is no URL at all.
    /// [`decide`](Self::decide) tells them apart, and knows other methods, needs and live lists; here every
    /// need counts as met, and no value as listed.
    #[must_use]
    pub fn find<'u>(&self, url: &'u str) -> Option<Match<'_, 'u, P>> {
        match self.frozen().short_way(url, &NoLists) {
            ShortWay::Page(found) => Some(Match::short(self, &found, url, None)),
            ShortWay::Miss => None,
            _ => self.general_step(url, None, Question { method: "GET", lists: &NoLists, meets: &|_| true }).ok(),
        }
    }

    /// Decides with these lists, and tells the route that had a part in it.
    #[inline]
    pub(super) fn decide_with<'u>(
        &self,
        request: &Request<'u>,
        lists: &dyn Lists,
    ) -> (Decision<'_, 'u, P>, Option<RouteId>) {
        let bad = |kind| (Decision::BadRequest(BadRequest { kind }), None);
        let limit = self.frozen().limits.bytes;
        if request.url.len() > limit {
            return bad(Bad::Path(BadPath::Long { limit }));
        }
        let Ok(url) = std::str::from_utf8(request.url) else { return bad(Bad::Utf8) };
        if url == "*" && request.method == "OPTIONS" {
            return (self.about_the_server(), None);
        }
        let question = Question { method: request.method, lists, meets: request.meets };
        match self.step(url, request.host, question) {
            Ok(found) => {
                let route = found.reading().route_id();
                (Decision::Page(found), Some(route))
            }
            Err(turn) => self.turned(request, url, turn, question),
        }
    }

    /// RFC 9110, section 9.3.7: the asterisk asks about the server as a whole.
    #[inline(never)]
    fn about_the_server<'u>(&self) -> Decision<'_, 'u, P> {
        let methods = self.frozen().routes.iter().filter(|route| route.answers()).flat_map(|route| &*route.methods.0);
        Decision::Options(allow(methods.map(|method| &**method)))
    }

    /// What comes of a look that gave no page.
    #[inline(never)]
    fn turned<'u>(
        &self,
        request: &Request<'u>,
        url: &'u str,
        turn: Turn,
        question: Question<'_>,
    ) -> (Decision<'_, 'u, P>, Option<RouteId>) {
        match turn {
            Turn::Onward(hop) => self.follow(request, url, hop, question),
            turn => (self.turn(request, turn, question), None),
        }
    }

    /// Follows redirects to their end, so that the visitor needs but one.
    fn follow<'u>(
        &self,
        request: &Request<'u>,
        url: &'u str,
        mut hop: Hop,
        mut question: Question<'_>,
    ) -> (Decision<'_, 'u, P>, Option<RouteId>) {
        let host = Target::parse(url, false).host.or(request.host);
        for _ in 0..MOST_HOPS {
            if hop.status == 303 || (hop.status < 303 && question.method == "POST") {
                question.method = "GET";
            }
            let turn = if hop.is_external { None } else { self.step(&hop.location, host, question).err() };
            match turn {
                None => {
                    let route = hop.route;
                    return (self.turn(request, Turn::Onward(hop), question), route);
                }
                Some(Turn::Onward(next)) => {
                    // What a route declares goes before what tidying up an address would say, and a redirect for
                    // now must not be taken for one for good.
                    let is_for_good = |status| matches!(status, 301 | 308);
                    let is_declared = hop.route.is_some();
                    let takes_over = if is_declared {
                        is_for_good(hop.status) && !is_for_good(next.status)
                    } else {
                        next.route.is_some()
                    };
                    let status = if takes_over { next.status } else { hop.status };
                    hop = Hop { status, route: hop.route.or(next.route), ..next };
                }
                Some(turn) => return (self.turn(request, turn, question), hop.route),
            }
        }
        let reason = Some("its redirects lead in a circle".to_owned());
        (self.turn(request, Turn::Missing(self.frozen().fallback, reason), question), hop.route)
    }

    fn turn<'u>(&self, request: &Request<'u>, turn: Turn, question: Question<'_>) -> Decision<'_, 'u, P> {
        let frozen = self.frozen();
        match turn {
            Turn::Onward(Hop { status, location, route, is_external }) => {
                let route = route.map(|route| self.route_ref(route).name());
                Decision::Redirect(Redirect { status, location, route, is_external })
            }
            Turn::Unmet(need, location) => {
                let location = location.map(|location| self.sign_in(location, request.host, question));
                Decision::Unmet(Unmet { need: &frozen.needs[usize::from(need.0)].name, location })
            }
            Turn::Missing(fallback, reason) => {
                let fallback = fallback.map(|page| self.page(page));
                Decision::NotFound(Missing { fallback, reason, request: *request, table: self })
            }
            Turn::OtherMethods(accepted) => {
                let routes = accepted.iter().map(|&ending| frozen.route(frozen.tree.ending(ending).route));
                let methods = allow(routes.flat_map(|route| &*route.methods.0).map(|method| &**method));
                if request.method == "OPTIONS" { Decision::Options(methods) } else { Decision::WrongMethod(methods) }
            }
            Turn::Bad(reason) => Decision::BadRequest(BadRequest { kind: Bad::Path(reason) }),
        }
    }

    /// One look at the table.
    #[inline]
    fn step<'u>(&self, url: &'u str, host: Option<&'u str>, question: Question<'_>) -> Result<Match<'_, 'u, P>, Turn> {
        let frozen = self.frozen();
        if matches!(question.method, "GET" | "HEAD") {
            match frozen.short_way(url, question.lists) {
                ShortWay::Page(found) => return Ok(Match::short(self, &found, url, host)),
                ShortWay::Miss if frozen.fallbacks.is_empty() => return Err(Turn::Missing(frozen.fallback, None)),
                _ => {}
            }
        }
        self.general_step(url, host, question)
    }

    /// One look at the table, whatever is asked.
    #[inline(never)]
    fn general_step<'u>(
        &self,
        url: &'u str,
        host: Option<&'u str>,
        question: Question<'_>,
    ) -> Result<Match<'_, 'u, P>, Turn> {
        let frozen = self.frozen();
        let canonical = |location| Err(Turn::Onward(Hop { status: 308, location, route: None, is_external: false }));
        let mut parts = Parts::default();
        match frozen.parse(url, host, &mut parts) {
            Ok(Parsed::Plain) => {}
            Ok(Parsed::Crooked(address)) => return canonical(address),
            Ok(Parsed::Outside) => return Err(Turn::Missing(frozen.fallback, None)),
            Err(reason) => return Err(Turn::Bad(reason)),
        };
        let missing = || Turn::Missing(self.fallback_for(&parts, question.lists), None);
        let reading = match frozen.look(&parts, question.method, question.lists) {
            Looked::Answer(reading) => reading,
            Looked::Respelt(address) => return canonical(address),
            Looked::OtherMethods(accepted) => return Err(Turn::OtherMethods(accepted)),
            Looked::Nothing => return Err(missing()),
        };
        if let Some(onward) = &reading.route().onward {
            return Err(self.redirect(onward, &reading));
        }
        if reading.spelt_defaults() > 0
            && let Some(address) = self.without_defaults(&reading)
        {
            return canonical(address);
        }
        let unmet =
            reading.route().needs.iter().find(|need| !(question.meets)(&frozen.needs[usize::from(need.0)].name));
        if let Some(&need) = unmet {
            return Err(Turn::Unmet(need, self.place_for(need, &reading, &parts, question)));
        }
        Match::new(self, reading).ok_or_else(missing)
    }

    /// What a redirect makes of the values of its address.
    fn redirect(&self, onward: &Onward, reading: &Reading<'_, '_>) -> Turn {
        let hop = |url, is_external| {
            let location = self.with_rest(url, reading);
            Turn::Onward(Hop { status: onward.status, location, route: Some(reading.route_id()), is_external })
        };
        match &onward.aim {
            Destination::Url(template) => hop(template.expand(&reading.values()), true),
            Destination::Route { to, values } => {
                let given = values.iter().filter_map(|(name, filling)| Some((&**name, filled(filling, reading)?)));
                match self.link_to(*to, given.collect()).to_any_url() {
                    Ok(url) => hop(url, false),
                    Err(error) => Turn::Missing(self.fallback_of(*to), Some(error.to_string())),
                }
            }
        }
    }

    /// The address without the values that the rules give anyway, as far as they can be left out; `None` where none
    /// can.
    fn without_defaults(&self, reading: &Reading<'_, '_>) -> Option<String> {
        let short = self.link_to(reading.route_id(), reading.values()).to_url().ok()?;
        let method = reading.route().methods.0.first().map_or("GET", |method| &**method);
        let listed = |_: &str, _: &str| true;
        let is_shorter = self
            .frozen()
            .read(&short, method, &listed)
            .is_some_and(|short| short.spelt_defaults() < reading.spelt_defaults());
        is_shorter.then(|| self.with_rest(short, reading))
    }

    /// The page to which people are sent who do not meet a need, with the way back.
    fn place_for(
        &self,
        need: NeedId,
        reading: &Reading<'_, '_>,
        parts: &Parts<'_>,
        question: Question<'_>,
    ) -> Option<String> {
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
        let is_read = matches!(question.method, "GET" | "HEAD")
            || matches!(frozen.look(parts, "GET", question.lists), Looked::Answer(reading) if reading.route().page.is_some());
        let link = self.link_to(to, values);
        let wanted = is_read.then(|| link.clone().set(RETURN, frozen.site.address_of(&parts.target)));
        let url: Result<String, LinkError> =
            wanted.map_or_else(|| link.to_url(), |wanted| wanted.to_url().or_else(|_| link.to_url()));
        url.ok()
    }

    /// The place to sign in may have needs of its own, which are met elsewhere: where does one begin?
    fn sign_in(&self, first: String, host: Option<&str>, question: Question<'_>) -> String {
        let mut location = first;
        for _ in 0..MOST_HOPS {
            match self.step(&location, host, Question { method: "GET", ..question }) {
                Err(Turn::Unmet(_, Some(next))) => location = next,
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

    fn fallback_for(&self, parts: &Parts<'_>, lists: &dyn Lists) -> Option<PageId> {
        let frozen = self.frozen();
        let nearest = frozen.fallbacks.covering(&parts.ask(lists), &frozen.routes);
        let page = nearest.and_then(|ending| frozen.route(frozen.fallbacks.ending(ending).route).fallback);
        page.or(frozen.fallback)
    }

    /// The page for what is missing at or under a route.
    fn fallback_of(&self, id: RouteId) -> Option<PageId> {
        let frozen = self.frozen();
        let above = std::iter::successors(Some(id), |id| frozen.route(*id).parent);
        above.into_iter().find_map(|id| frozen.route(id).fallback).or(frozen.fallback)
    }
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
