//! The gate before the server: how many connections one address may hold, and how long a request may take to come.
//!
//! The server library has neither, and keeps its listener to itself; so it listens on an address of this machine that
//! nobody is told, and what comes through here is handed on to it by hyper, the library both are made of.

mod crowd;
mod pace;
mod pass;

use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper_util::rt::{TokioIo, TokioTimer};
use rocket::tokio;
use tokio::io::AsyncWriteExt;
use tokio::net::{TcpListener, TcpStream};

use crate::guard::secret::GateHeader;
use crowd::{Crowd, Place};
use pass::{Inner, pass};

/// How long the head of a request may take; so long is also a connection kept on which nothing is asked.
const HEAD: Duration = Duration::from_secs(30);
/// Pause after the system has no room for a connection.
const PAUSE: Duration = Duration::from_millis(100);
/// What a connection too many is told.
const FULL: &str = "HTTP/1.1 503 Service Unavailable\r\nContent-Type: text/plain\r\nConnection: close\r\n\r\n\
    Too many connections are open from this address. Close other windows of this page, or wait half a minute; \
    nothing was changed.\n";

/// Lets in what comes to `outer`, and hands it on to the server at `inner`; for as long as the program runs.
pub async fn keep(outer: TcpListener, inner: SocketAddr, header: GateHeader) {
    let (crowd, inner) = (Arc::new(Crowd::default()), Arc::new(Inner { address: inner, header }));
    loop {
        let Ok((stream, from)) = outer.accept().await else {
            // Too many files are open, most likely: those who are in go on, and leave.
            tokio::time::sleep(PAUSE).await;
            continue;
        };
        match crowd.place(from.ip()) {
            Some(place) => drop(tokio::spawn(serve(stream, from, place, inner.clone()))),
            None => drop(tokio::spawn(turn_away(stream))),
        }
    }
}

/// One connection, until it is closed or has taken too long.
async fn serve(stream: TcpStream, from: SocketAddr, _place: Place, inner: Arc<Inner>) {
    // Without it small answers wait for one another (RFC 896); what fails here fails again below.
    let _ = stream.set_nodelay(true);
    let upstream = Arc::default();
    let service = service_fn(|request| pass(inner.clone(), Arc::clone(&upstream), from.ip(), request));
    let server = http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .serve_connection(TokioIo::new(stream), service);
    // A connection that breaks is the business of whoever has broken it.
    let _ = server.await;
}

async fn turn_away(mut stream: TcpStream) {
    let told = async {
        stream.write_all(FULL.as_bytes()).await?;
        stream.shutdown().await
    };
    let _ = tokio::time::timeout(PAUSE, told).await;
}
