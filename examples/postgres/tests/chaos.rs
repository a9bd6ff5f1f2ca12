//! The example under load while everything around it goes wrong: `examples/postgres/chaos` makes the database and tells how it is
//! stopped. Each answer must be one that the table and the database of that moment allow; the process must not grow, and not panic.

#![forbid(unsafe_code)]

use std::env;
use std::fs;
use std::io::{self, BufRead, BufReader, Read, Write};
use std::net::{SocketAddr, TcpStream};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::thread;
use std::time::{Duration, Instant};

/// What is under way, as a number that counts up: even while it is as it says, odd while it changes.
#[derive(Default)]
struct Phase(AtomicU64);

impl Phase {
    fn now(&self) -> u64 {
        self.0.load(Ordering::SeqCst)
    }

    fn step(&self) {
        self.0.fetch_add(1, Ordering::SeqCst);
    }
}

struct Site {
    address: SocketAddr,
    /// At 0 the database is there, at 2 it is not, and so on.
    database: Phase,
    /// At 0 the table has `/a`, at 2 it has `/b`, and so on.
    table: Phase,
    is_over: AtomicBool,
    answered: AtomicU64,
}

/// The same numbers for the same seed (SplitMix64).
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: u64) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mixed = (self.0 ^ (self.0 >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        let mixed = (mixed ^ (mixed >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        (mixed ^ (mixed >> 31)) % sides
    }

    fn pick<T: Copy>(&mut self, all: &[T]) -> T {
        all[usize::try_from(self.roll(all.len() as u64)).expect("an index")]
    }

    fn pause(&mut self, least: u64, most: u64) {
        thread::sleep(Duration::from_millis(least + self.roll(most - least)));
    }
}

/// A connection on which one request follows the other.
struct Client {
    address: SocketAddr,
    stream: Option<BufReader<TcpStream>>,
}

impl Client {
    fn connect(address: SocketAddr) -> io::Result<BufReader<TcpStream>> {
        let stream = TcpStream::connect(address)?;
        stream.set_read_timeout(Some(Duration::from_secs(20)))?;
        Ok(BufReader::new(stream))
    }

    /// The status of the answer. A connection that the server has closed meanwhile is made anew (RFC 9112, section 9.3.1).
    fn status(&mut self, method: &str, path: &str) -> io::Result<u16> {
        if let Some(stream) = self.stream.take()
            && let Ok(status) = self.exchange(stream, method, path)
        {
            return Ok(status);
        }
        self.exchange(Self::connect(self.address)?, method, path)
    }

    fn exchange(&mut self, mut stream: BufReader<TcpStream>, method: &str, path: &str) -> io::Result<u16> {
        let head = format!("{method} {path} HTTP/1.1\r\nhost: larkfell.example\r\n\r\n");
        stream.get_mut().write_all(head.as_bytes())?;
        let mut line = String::new();
        stream.read_line(&mut line)?;
        let status = line.get(9..12).and_then(|status| status.parse().ok());
        let status = status.ok_or_else(|| io::Error::other(format!("no status: {line:?}")))?;
        let mut length = 0;
        loop {
            line.clear();
            stream.read_line(&mut line)?;
            if line.trim().is_empty() {
                break;
            }
            let field = line.split_once(':').map(|(name, value)| (name.to_ascii_lowercase(), value.trim()));
            if let Some((name, value)) = field
                && name == "content-length"
            {
                length = value.parse().map_err(io::Error::other)?;
            }
        }
        let mut body = vec![0; length];
        stream.read_exact(&mut body)?;
        self.stream = Some(stream);
        Ok(status)
    }
}

/// Asks for one page after the other, and holds each answer against what it may be.
fn load(site: &Site, mut dice: Dice) -> Result<(), String> {
    const PATHS: [(&str, &str); 8] = [
        ("GET", "/"),
        ("GET", "/stable"),
        ("GET", "/a"),
        ("GET", "/b"),
        ("GET", "/observers/ada"),
        ("GET", "/observers/eve"),
        ("GET", "/nowhere"),
        ("DELETE", "/stable"),
    ];
    let mut client = Client { address: site.address, stream: None };
    while !site.is_over.load(Ordering::SeqCst) {
        let (method, path) = dice.pick(&PATHS);
        let before = (site.database.now(), site.table.now());
        let status = client.status(method, path).map_err(|error| format!("{method} {path}: {error}"))?;
        let after = (site.database.now(), site.table.now());
        let (has_database, has_a) = (before.0.is_multiple_of(4), before.1.is_multiple_of(4));
        let is_steady = |before: u64, after: u64| before == after && before.is_multiple_of(2);
        let expected: &[u16] = match path {
            "/" => &[200],
            "/stable" => &[if method == "GET" { 200 } else { 405 }],
            "/nowhere" => &[404],
            "/a" | "/b" if !is_steady(before.1, after.1) => &[200, 404],
            "/a" => &[if has_a { 200 } else { 404 }],
            "/b" => &[if has_a { 404 } else { 200 }],
            _ if !is_steady(before.0, after.0) => &[200, 404, 503],
            _ if !has_database => &[503],
            "/observers/ada" => &[200],
            _ => &[404],
        };
        if !expected.contains(&status) {
            return Err(format!("{method} {path}: {status}, expected one of {expected:?} ({before:?} to {after:?})"));
        }
        site.answered.fetch_add(1, Ordering::SeqCst);
    }
    Ok(())
}

fn garbage(dice: &mut Dice) -> Vec<u8> {
    (0..1 + dice.roll(2000)).map(|_| u8::try_from(dice.roll(256)).unwrap_or_default()).collect()
}

/// How many connections each annoying client holds on to.
const HELD: usize = 10;

/// Connects and does what no client should. Some of its connections stay open as long as the server lets them.
fn annoy(site: &Site, mut dice: Dice) {
    const GET: &[u8] = b"GET /stable HTTP/1.1\r\nhost: larkfell.example\r\n\r\n";
    // Settings without room for bodies (RFC 9113, section 6.5), and a request (RFC 7541, appendix A).
    const NO_ROOM: &[u8] = b"PRI * HTTP/2.0\r\n\r\nSM\r\n\r\n\0\0\x06\x04\0\0\0\0\0\0\x04\0\0\0\0\
        \0\0\x06\x01\x05\0\0\0\x01\x82\x86\x84\x01\x01x";
    let mut held = std::collections::VecDeque::new();
    while !site.is_over.load(Ordering::SeqCst) {
        let Ok(mut stream) = TcpStream::connect(site.address) else { continue };
        // The answers do not matter, and neither does a server that no longer listens.
        let _ = match dice.roll(11) {
            0 => stream.write_all(b"GET / HT"),
            1 => stream.write_all(&garbage(&mut dice)),
            2 => stream.write_all(GET),
            3 => stream.write_all(b"POST / HTTP/1.1\r\nhost: larkfell.example\r\ncontent-length: 9999\r\n\r\na"),
            4 => stream.write_all(b"GET / HTTP/1.1\r\nhost: a\r\nhost: b\r\n\r\n"),
            5 => Ok(()),
            6 => stream.write_all(b"PRI * HTTP/2.0\r\n\r\nS"),
            7 => stream.write_all(NO_ROOM),
            8 => stream.write_all(GET).and_then(|()| stream.shutdown(std::net::Shutdown::Write)),
            9 => stream.shutdown(std::net::Shutdown::Write),
            // Answers that are never read.
            _ => stream.write_all(&GET.repeat(400)),
        };
        dice.pause(0, 800);
        if dice.roll(2) == 0 {
            held.push_back(stream);
            held.truncate(HELD);
        }
        if dice.roll(4) == 0 {
            held.pop_front();
        }
    }
}

fn table(has_a: bool) -> String {
    let name = if has_a { "a" } else { "b" };
    format!(
        "lists = ['observers']\n[routes.stable]\npath = '/stable'\npage = 'home'\n[routes.home]\npath = '/'\npage = 'home'\n\
         [routes.{name}]\npath = '/{name}'\npage = 'home'\n\
         [routes.observer]\npath = '/observers/{{observer}}'\npage = 'observer'\nparams.observer = {{ listed = 'observers' }}\n"
    )
}

/// Exchanges the table, or breaks it for a while.
fn exchange(site: &Site, file: &Path, server: u32, mut dice: Dice) -> Result<u32, String> {
    let hang_up =
        || Command::new("kill").args(["-HUP", &server.to_string()]).status().map_err(|error| error.to_string());
    let write = |text: &str| fs::write(file, text).map_err(|error| error.to_string());
    let mut has_a = true;
    let mut exchanges = 0;
    while !site.is_over.load(Ordering::SeqCst) {
        dice.pause(50, 1000);
        if dice.roll(3) == 0 {
            write(dice.pick(&["[routes.", "[routes.a]\npath = 'a'\n", "[routes.a]\npath = '/a'\npage = 'unknown'\n"]))?;
            hang_up()?;
            continue;
        }
        has_a = !has_a;
        site.table.step();
        write(&table(has_a))?;
        hang_up()?;
        let path = if has_a { "/a" } else { "/b" };
        until(path, || {
            Client { address: site.address, stream: None }.status("GET", path).is_ok_and(|status| status == 200)
        })?;
        site.table.step();
        exchanges += 1;
    }
    Ok(exchanges)
}

/// Stops the database and starts it.
fn switch(site: &Site, control: &Path, mut dice: Dice) -> Result<u32, String> {
    let call = |arguments: &[&str]| match Command::new(control).args(arguments).status() {
        Ok(status) if status.success() => Ok(()),
        other => Err(format!("the database: {arguments:?}: {other:?}")),
    };
    let status = || Client { address: site.address, stream: None }.status("GET", "/observers/ada").ok();
    let mut outages = 0;
    while !site.is_over.load(Ordering::SeqCst) {
        dice.pause(500, 6000);
        site.database.step();
        call(&["--mode", dice.pick(&["fast", "immediate"]), "stop"])?;
        until("an outage", || status() == Some(503))?;
        site.database.step();
        dice.pause(100, 3000);
        site.database.step();
        call(&["start"])?;
        until("the database", || status() == Some(200))?;
        site.database.step();
        outages += 1;
    }
    Ok(outages)
}

fn until(what: &str, mut is_so: impl FnMut() -> bool) -> Result<(), String> {
    let start = Instant::now();
    while !is_so() {
        if start.elapsed() > Duration::from_secs(30) {
            return Err(format!("{what}: not within 30 seconds"));
        }
        thread::sleep(Duration::from_millis(20));
    }
    Ok(())
}

struct Server(Child);

impl Drop for Server {
    fn drop(&mut self) {
        // It may have ended by itself.
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// Memory that is in use, in KiB, and open files.
fn size(server: u32) -> (u64, usize) {
    let status = fs::read_to_string(format!("/proc/{server}/status")).expect("it runs");
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).expect("its memory");
    let memory = line.trim().trim_end_matches(" kB").parse().expect("a number");
    (memory, fs::read_dir(format!("/proc/{server}/fd")).expect("its files").count())
}

#[test]
fn nothing_fails_that_should_not() {
    let wanted = |name: &str| env::var(name).unwrap_or_else(|_| panic!("{name} is set by examples/postgres/chaos"));
    let seed: u64 = wanted("CHAOS_SEED").parse().expect("a number");
    let seconds: u64 = wanted("CHAOS_SECONDS").parse().expect("a number");
    let control = PathBuf::from(wanted("CHAOS_CONTROL"));
    println!("seed {seed}, {seconds} seconds");
    let folder = control.parent().expect("a folder");
    let (file, errors) = (folder.join("routes.toml"), folder.join("errors"));
    fs::write(&file, table(true)).expect("a file");
    let mut child = Command::new(env!("CARGO_BIN_EXE_example-postgres"))
        .args(["0", &wanted("CHAOS_DATABASE")])
        .arg(&file)
        .stdout(Stdio::piped())
        .stderr(fs::File::create(&errors).expect("a file"))
        .spawn()
        .expect("the example starts");
    let said = BufReader::new(child.stdout.take().expect("a pipe"))
        .lines()
        .next()
        .expect("it says where it is")
        .expect("text");
    let mut server = Server(child);
    let id = server.0.id();
    let address =
        said.trim_start_matches("http://").split('/').next().expect("an address").parse().expect("an address");
    let site = Site {
        address,
        database: Phase::default(),
        table: Phase::default(),
        is_over: AtomicBool::new(false),
        answered: AtomicU64::new(0),
    };
    let dice = |who: u64| Dice(seed.wrapping_add(who << 32));
    thread::scope(|scope| {
        let site = &site;
        let loads: Vec<_> = (0..4).map(|who| scope.spawn(move || load(site, dice(who)))).collect();
        (4..8).for_each(|who| drop(scope.spawn(move || annoy(site, dice(who)))));
        let exchanges = scope.spawn(|| exchange(site, &file, id, dice(8)));
        let outages = scope.spawn(|| switch(site, &control, dice(9)));
        let start = Instant::now();
        let mut warm = None;
        let is_at_work =
            || loads.iter().all(|one| !one.is_finished()) && !exchanges.is_finished() && !outages.is_finished();
        while start.elapsed() < Duration::from_secs(seconds) && is_at_work() {
            thread::sleep(Duration::from_millis(100));
            if warm.is_none() && start.elapsed() > Duration::from_secs(seconds / 4) {
                warm = Some(size(id));
            }
        }
        site.is_over.store(true, Ordering::SeqCst);
        for one in loads {
            one.join().expect("a thread").unwrap_or_else(|error| panic!("seed {seed}: {error}"));
        }
        let exchanges = exchanges.join().expect("a thread").unwrap_or_else(|error| panic!("seed {seed}: {error}"));
        let outages = outages.join().expect("a thread").unwrap_or_else(|error| panic!("seed {seed}: {error}"));
        let (warm, end) = (warm.expect("it took long enough"), size(id));
        println!(
            "{} requests, {exchanges} tables, {outages} outages; {} to {} KiB, {} to {} files",
            site.answered.load(Ordering::SeqCst),
            warm.0,
            end.0,
            warm.1,
            end.1
        );
        assert!(exchanges > 0 && outages > 0);
        // Pages of memory come and go; what is leaked for each request would be many times that.
        assert!(end.0 < warm.0 + 8 * 1024, "seed {seed}: it grew from {} to {} KiB", warm.0, end.0);
        assert!(end.1 < warm.1 + 50, "seed {seed}: {} files are open, {} were", end.1, warm.1);
    });
    assert!(server.0.try_wait().expect("its state").is_none(), "seed {seed}: it has ended");
    let said = fs::read_to_string(&errors).expect("text");
    assert!(!said.contains("panicked"), "seed {seed}: {said}");
    assert!(said.contains("the table stays as it was"), "no table was broken");
}
