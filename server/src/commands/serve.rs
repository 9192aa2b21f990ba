//! `zinc-rack serve` and `demo`: the running server.

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr, TcpListener, UdpSocket};
use std::sync::Arc;

use crate::app::App;
use crate::cli::ServeArgs;
use crate::failure::Failure;
use crate::guard::door::Door;
use crate::guard::hosts::Hosts;
use crate::guard::secret::GateHeader;
use crate::upkeep::daily;
use crate::{api, demo, gate, guard, pages};
use zinc_sound::in_words;

/// Largest import in bytes: an hour of stereo at 96 kHz, 32-bit.
const IMPORT_LIMIT_GIB: u64 = 3;

/// Runs the command until it is stopped; with so many bars of the demo song, if it is to be there.
pub fn run(args: &ServeArgs, demo_bars: Option<usize>) -> Result<(), Failure> {
    let asked = SocketAddr::new(args.bind, args.port);
    // Before anything is made; who asks from now on waits until there is an answer.
    let (listener, address) = listen(asked).map_err(|e| {
        Failure::work(format!(
            "Port {} on {} cannot be used ({}). Nothing was started or changed; choose another with --port.",
            args.port,
            args.bind,
            in_words(&e)
        ))
    })?;
    let app = App::open(&args.data)?;
    let is_alone = address.ip().is_loopback() && args.proxied.is_none();
    let door = (!is_alone).then(Door::new).transpose();
    let dull = |e| Failure::work(format!("This machine has no random numbers for secrets ({e})."));
    let (door, header) = (door.map_err(dull)?.map(Arc::new), GateHeader::new().map_err(dull)?);
    let entrance = Entrance { listener, address, header, door, proxied: args.proxied.clone() };
    app.say(&format!("serving {}", entrance.url(here(address.ip()))));
    if let Some(bars) = demo_bars {
        // Asked for once, here.
        let _ = app.demo.set(demo::begin(&app, &args.data, bars));
    }
    daily::begin(&app, &args.data);
    let runtime = rocket::tokio::runtime::Builder::new_multi_thread()
        .worker_threads(2)
        .enable_all()
        .build()
        .map_err(|e| Failure::work(format!("The server cannot start ({e}).")))?;
    runtime.block_on(launch(app, entrance))
}

/// Listens; also the address, whose port may have been any.
fn listen(asked: SocketAddr) -> std::io::Result<(TcpListener, SocketAddr)> {
    let listener = TcpListener::bind(asked)?;
    listener.set_nonblocking(true)?;
    let address = listener.local_addr()?;
    Ok((listener, address))
}

/// Where the server is, and how one gets in.
struct Entrance {
    listener: TcpListener,
    address: SocketAddr,
    /// How the gate tells the server who asks.
    header: GateHeader,
    door: Option<Arc<Door>>,
    proxied: Option<String>,
}

impl Entrance {
    /// The address of its first page by one of this machine's.
    fn url(&self, ip: IpAddr) -> String {
        format!("http://{}/", SocketAddr::new(ip, self.address.port()))
    }

    /// What is printed once it answers.
    fn words(&self) -> String {
        let ip = self.address.ip();
        let mut words = format!("Zinc Rack is at {}  (Ctrl+C stops it)", self.url(here(ip)));
        let Some(door) = &self.door else { return words };
        words += &format!("\nIts passphrase is {}", door.passphrase());
        let open = |url: &str| format!("\n  with it: {url}enter?key={}", door.passphrase());
        words += &open(&self.url(here(ip)));
        if let Some(outside) = ip.is_unspecified().then(|| outside(ip)).flatten() {
            words += &format!("\n  from other machines: {}enter?key={}", self.url(outside), door.passphrase());
        }
        if let Some(name) = &self.proxied {
            words += &open(&format!("https://{name}/"));
        }
        if !ip.is_loopback() {
            words += "\nBrowsers of other machines play sound only through https: see docs/security.md for a proxy.";
        }
        words
    }
}

/// An address of this machine by which a server that listens on one is reached from here.
fn here(ip: IpAddr) -> IpAddr {
    match ip {
        IpAddr::V4(ip) if ip.is_unspecified() => Ipv4Addr::LOCALHOST.into(),
        IpAddr::V6(ip) if ip.is_unspecified() => Ipv6Addr::LOCALHOST.into(),
        other => other,
    }
}

/// The address that this machine has on its network: that it would send from, which sends nothing (RFC 5737, RFC 3849).
fn outside(ip: IpAddr) -> Option<IpAddr> {
    let example = if ip.is_ipv4() { "192.0.2.1:9" } else { "[2001:db8::1]:9" };
    let socket = UdpSocket::bind(SocketAddr::new(ip, 0)).ok()?;
    socket.connect(example).ok()?;
    socket.local_addr().ok().map(|own| own.ip())
}

async fn launch(app: App, entrance: Entrance) -> Result<(), Failure> {
    use rocket::data::ToByteUnit;
    let limits = rocket::data::Limits::default()
        .limit("json", 1.mebibytes())
        .limit("string", 64.kibibytes())
        .limit("import", IMPORT_LIMIT_GIB.gibibytes());
    let figment = rocket::Config::figment()
        // Behind the gate, at any free port.
        .merge(("address", Ipv4Addr::LOCALHOST))
        .merge(("port", 0))
        .merge(("ip_header", entrance.header.name()))
        .merge(("limits", limits))
        .merge(("log_level", "off"))
        .merge(("cli_colors", false))
        .merge(("ident", "Zinc Rack"))
        .merge(("shutdown.grace", 1))
        .merge(("shutdown.mercy", 1));
    let fail = |e: rocket::Error| Failure::work(format!("The server stopped ({e})."));
    let words = entrance.words();
    let Entrance { listener, address, header, door, proxied } = entrance;
    let listener = rocket::tokio::net::TcpListener::from_std(listener)
        .map_err(|e| Failure::work(format!("The server cannot start ({}).", in_words(&e))))?;
    let guard = guard::Guard::new(Hosts::new(address, proxied), door.clone(), header.clone());
    let ready = rocket::fairing::AdHoc::on_liftoff("gate", move |rocket| {
        let inner = SocketAddr::new(rocket.config().address, rocket.config().port);
        rocket::tokio::spawn(gate::keep(listener, inner, header));
        said!("{words}");
        Box::pin(async {})
    });
    rocket::custom(figment)
        .manage(app)
        .manage(door)
        .attach(guard)
        .attach(ready)
        .mount("/", pages::routes())
        .mount("/api", api::routes())
        .mount("/static", rocket::fs::FileServer::from(concat!(env!("CARGO_MANIFEST_DIR"), "/static")))
        .register("/", pages::catchers())
        .launch()
        .await
        .map(|_| ())
        .map_err(fail)
}
