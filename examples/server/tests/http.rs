//! The example over real connections, by a standard client.

use std::io::{BufRead, BufReader, Read};
use std::process::{Child, Command, Stdio};

/// The example as a program of its own, which ends with the test.
struct Server {
    child: Child,
    origin: String,
    /// Where the counts are.
    metrics: String,
}

impl Drop for Server {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Serves the site on a free port.
fn serve() -> Server {
    let mut child = Command::new(env!("CARGO_BIN_EXE_example-server"))
        .arg("0")
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the example starts");
    let mut said = BufReader::new(child.stdout.take().expect("a pipe")).lines();
    let mut line = || said.next().expect("it says where it is").expect("text");
    let (page, metrics) = (line(), line());
    let origin = page.split("/nights").next().expect("an address").to_owned();
    Server { child, origin, metrics }
}

/// What a request is answered with: status, location, cookie, body.
struct Answer {
    status: u16,
    location: String,
    cookie: String,
    body: String,
}

struct Client {
    agent: ureq::Agent,
    server: Server,
}

impl Client {
    fn new() -> Self {
        let agent = ureq::Agent::config_builder().max_redirects(0).http_status_as_error(false).build();
        Self { agent: agent.into(), server: serve() }
    }

    fn read(response: Result<ureq::http::Response<ureq::Body>, ureq::Error>) -> Answer {
        let mut response = response.expect("an answer");
        let field =
            |name: &str| response.headers().get(name).map_or("", |value| value.to_str().expect("ASCII")).to_owned();
        let (location, cookie) = (field("location"), field("set-cookie"));
        let status = response.status().as_u16();
        Answer { status, location, cookie, body: response.body_mut().read_to_string().expect("a body") }
    }

    fn get(&self, url: &str, cookie: &str) -> Answer {
        Self::read(self.agent.get(format!("{}{url}", self.server.origin)).header("cookie", cookie).call())
    }

    fn post(&self, url: &str, form: &str) -> Answer {
        let request = self.agent.post(format!("{}{url}", self.server.origin));
        Self::read(request.content_type("application/x-www-form-urlencoded").send(form))
    }
}

#[test]
fn pages_redirects_and_what_is_missing() {
    let client = Client::new();
    let exposure = client.get("/nights/2031-04-02/exposures/7", "");
    assert_eq!(exposure.status, 200);
    assert!(
        exposure.body.contains("<h1>Exposure 7 of 2031-04-02</h1>\n<section class=\"with-calendar\">"),
        "{}",
        exposure.body
    );
    assert!(exposure.body.contains("<a href=\"/nights/2031-04-02/exposures/8\">Next</a>"), "{}", exposure.body);
    let last = client.get("/nights/2031-04-02/exposures/9999", "");
    // The page says that there is no such exposure: what is shown then is the table's business.
    assert_eq!(last.status, 404);
    assert!(last.body.contains("<section class=\"with-calendar\">\n<p>There is nothing here"), "{}", last.body);

    let cases = [
        ("/night.cgi?d=2031-04-02", 301, "/nights/2031-04-02"),
        ("/view.cgi?page=dome&name=north", 308, "/domes/north"),
        ("//nights/", 308, "/nights"),
        ("/forum/optics", 302, "https://forum.example/larkfell/optics"),
        ("/nights/2031-02-30", 404, ""),
        ("/plates/b-1", 404, ""),
        ("/observers/ada", 200, ""),
        ("/observers/eve", 404, ""),
        ("/observers/x'; DROP TABLE observers", 404, ""),
        ("/observers/grace", 200, ""),
        ("/search?q=moon", 200, ""),
    ];
    for (url, status, location) in cases {
        let answer = client.get(&url.replace(' ', "%20"), "");
        assert_eq!((answer.status, answer.location.as_str()), (status, location), "{url}");
    }
    assert!(client.get("/objects/%3Cb%3E", "").body.contains("&lt;b>"));
    // What is missing is shown inside the frames of its place, with the way on from there.
    let missing = client.get("/plates/b-1", "").body;
    assert!(missing.contains("<section class=\"archive\">") && missing.contains("<a href=\"/plates\">"), "{missing}");
}

#[test]
fn sign_in_leads_back_to_the_page_that_was_wanted() {
    let client = Client::new();
    let wanted = "/observers/ada/logbook/2031?print=1";
    let refused = client.get(wanted, "");
    assert_eq!(refused.status, 303);
    let form = client.get(&refused.location, "");
    assert!(form.status == 200 && form.body.contains("<form method=\"post\""), "{}", form.body);
    let signed_in = client.post(&refused.location, "observer=ada");
    assert_eq!((signed_in.status, signed_in.location.as_str()), (303, wanted));
    assert!(signed_in.cookie.contains("HttpOnly") && signed_in.cookie.contains("SameSite=Lax"), "{}", signed_in.cookie);
    let cookie = signed_in.cookie.split(';').next().expect("a value");
    let logbook = client.get(wanted, cookie);
    assert!(logbook.status == 200 && logbook.body.contains("Signed in as ada"), "{}", logbook.body);
    // A cookie that somebody else has written counts for nothing.
    for forged in ["observer=ada", "session=ada", &format!("{cookie}0"), &cookie[..cookie.len() - 1]] {
        assert_eq!(client.get(wanted, forged).status, 303, "{forged}");
    }
    for (form, status) in [("observer=", 422), ("observer=%20", 422), ("name=ada", 422), (&"x".repeat(2000), 413)] {
        let refused = client.post(&refused.location, form);
        assert!(refused.status == status && refused.cookie.is_empty(), "{form}: {}", refused.status);
    }
    // Neither a form of another site nor a way back to the form itself does anything.
    let forged = client.agent.post(format!("{}/observers/sign-in", client.server.origin));
    let forged = forged.header("sec-fetch-site", "cross-site").content_type("application/x-www-form-urlencoded");
    assert_eq!(Client::read(forged.send("observer=ada")).status, 403);
    let again = client.post("/observers/sign-in?return=%2Fobservers%2Fsign-in", "observer=ada");
    assert_eq!((again.status, again.location.as_str()), (303, "/"));
    // A way back that leads to another site leads nowhere.
    let elsewhere = client.post("/observers/sign-in?return=https%3A%2F%2Fevil.example%2F", "observer=ada");
    assert_eq!((elsewhere.status, elsewhere.location.as_str()), (303, "/"));
}

#[test]
fn requests_are_seen_from_outside() {
    let mut client = Client::new();
    for url in ["/nights/2031-04-02", "/nights/2031-04-03", "/nights/2031-02-30"] {
        client.get(url, "");
    }
    let mut metrics = client.agent.get(&client.server.metrics).call().expect("the counts");
    let kind = metrics.headers()["content-type"].to_str().expect("ASCII").to_owned();
    assert!(kind.starts_with("application/openmetrics-text"), "{kind}");
    let text = metrics.body_mut().read_to_string().expect("a body");
    for line in [
        "{route=\"/nights/{date}\",outcome=\"page\",status=\"200\"} 2",
        "{route=\"\",outcome=\"not-found\",status=\"404\"} 1",
    ] {
        assert!(text.contains(line), "{text}");
    }
    client.server.child.kill().expect("it runs");
    let mut log = String::new();
    client.server.child.stderr.take().expect("a pipe").read_to_string(&mut log).expect("text");
    let of_page = |line: &&str| line.contains("http.route=\"/nights/{date}\"");
    assert_eq!(log.lines().filter(of_page).count(), 2, "{log}");
    assert!(log.contains("url.path=\"/nights/2031-02-30\""), "{log}");
}
