//! The hosts that it answers for. A page of another site whose name leads here, as the owner of the name can make it, is not to read what
//! is served here: a browser then sends that name as the host.

use std::net::IpAddr;

use http::Request;
use http::header::HOST;
use vivid_lane::Table;
use vivid_lane_http::Body;

use super::{State, now};

/// The host that a request names, if it is not one to answer for. A request without a good host is not judged here.
pub(super) fn foreign(state: &State, request: &Request<Body>) -> Option<String> {
    let field = request.headers().get(HOST).and_then(|host| host.to_str().ok());
    let host = name(request.uri().host().or(field)?);
    (!is_own(&host) && !state.hosts.contains(&host) && !is_of(&now(state), &host)).then_some(host)
}

/// Without the port, and in small letters.
pub(super) fn name(host: &str) -> String {
    let name = match host.strip_prefix('[').and_then(|host| host.split_once(']')) {
        Some((address, _)) => address,
        None => host.rsplit_once(':').map_or(host, |(name, _)| name),
    };
    name.trim_end_matches('.').to_ascii_lowercase()
}

/// This machine by name, or any address: no other site has an address for its name.
fn is_own(host: &str) -> bool {
    host == "localhost" || host.ends_with(".localhost") || host.parse::<IpAddr>().is_ok()
}

/// Whether the table has routes at a host, or is that of its site. The value of a parameter ends at a dot.
fn is_of(table: &Table, host: &str) -> bool {
    let is_origin = |origin: &str| origin.split_once("://").is_some_and(|(_, known)| name(known) == host);
    let is_template = |template: &str| match template.rsplit_once('}') {
        Some((_, end)) => end.len() > 1 && end.starts_with('.') && host.ends_with(end),
        None => template == host,
    };
    let mut templates = table.routes().filter_map(|route| Some(route.host()?.as_str()));
    table.origin().is_some_and(is_origin) || (table.has_hosts() && templates.any(is_template))
}

#[cfg(test)]
mod tests {
    use vivid_lane::Table;

    use super::{is_of, is_own, name};

    #[test]
    fn names_of_this_machine_and_of_the_table_are_known() {
        let text = "[site]\norigin = 'https://larkfell.example:8443'\n[routes.club]\nhost = '{club}.clubs.example'\npath = '/'\n\
            page = 'club'\n[routes.any]\nhost = '{any}'\npath = '/any'\npage = 'any'\n[routes.shop]\nhost = 'shop.example'\npath = '/s'\npage = 's'";
        let table = Table::from_toml(text).expect("a table");
        for (host, is_known) in [
            ("localhost:8030", true),
            ("LOCALHOST", true),
            ("app.localhost:1", true),
            ("127.0.0.1:8030", true),
            ("192.168.1.7", true),
            ("[::1]:8030", true),
            ("larkfell.example", true),
            ("larkfell.example.:80", true),
            ("optics.clubs.example", true),
            ("shop.example", true),
            ("clubs.example", false),
            ("evil.example", false),
            ("localhost.evil.example", false),
            ("larkfell.example.evil.example", false),
            ("xclubs.example", false),
            ("", false),
        ] {
            let host = name(host);
            assert_eq!(is_own(&host) || is_of(&table, &host), is_known, "{host}");
        }
    }
}
