//! `zinc-rack serve` and `demo`: the running server.

use std::net::{IpAddr, SocketAddr, TcpListener};

use crate::app::App;
use crate::cli::ServeArgs;
use crate::failure::Failure;
use crate::{api, demo, guard, pages};

/// Largest import in bytes: an hour of stereo at 96 kHz, 32-bit.
const IMPORT_LIMIT_GIB: u64 = 3;

/// Runs the command until it is stopped; with so many bars of the demo song, if it is to be there.
pub fn run(args: &ServeArgs, demo_bars: Option<usize>) -> Result<(), Failure> {
    let address = SocketAddr::new(args.bind, args.port);
    // Before anything is made: is the port free?
    drop(TcpListener::bind(address).map_err(|e| {
        Failure::work(format!(
            "Port {} on {} cannot be used ({e}). Nothing was started or changed; choose another with --port.",
            args.port, args.bind
        ))
    })?);
    let app = App::open(&args.data)?;
    let host = if address.ip() == IpAddr::from([0, 0, 0, 0]) { "127.0.0.1".into() } else { address.ip().to_string() };
    let shown = format!("http://{host}:{}/", address.port());
    app.say(&format!("serving {shown}"));
    if let Some(bars) = demo_bars {
        // Asked for once, here.
        let _ = app.demo.set(demo::begin(&app, &args.data, bars));
    }
    let runtime = rocket::tokio::runtime::Builder::new_multi_thread()
        .worker_threads(2)
        .enable_all()
        .build()
        .map_err(|e| Failure::work(format!("The server cannot start ({e}).")))?;
    runtime.block_on(launch(app, address, shown))
}

async fn launch(app: App, address: SocketAddr, shown: String) -> Result<(), Failure> {
    use rocket::data::ToByteUnit;
    let limits = rocket::data::Limits::default()
        .limit("json", 1.mebibytes())
        .limit("string", 64.kibibytes())
        .limit("import", IMPORT_LIMIT_GIB.gibibytes());
    let figment = rocket::Config::figment()
        .merge(("address", address.ip()))
        .merge(("port", address.port()))
        .merge(("limits", limits))
        .merge(("log_level", "off"))
        .merge(("cli_colors", false))
        .merge(("ident", "Zinc Rack"))
        .merge(("shutdown.grace", 1))
        .merge(("shutdown.mercy", 1));
    let fail = |e: rocket::Error| Failure::work(format!("The server stopped ({e})."));
    let ready = rocket::fairing::AdHoc::on_liftoff("address", move |_| {
        Box::pin(async move {
            said!("Zinc Rack is at {shown}  (Ctrl+C stops it)");
        })
    });
    rocket::custom(figment)
        .manage(app)
        .attach(guard::Guard::new(address))
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
