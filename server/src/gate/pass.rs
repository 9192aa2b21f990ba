//! One request, handed on to the server as it came but for who asks.

use std::error::Error;
use std::net::{IpAddr, SocketAddr};
use std::sync::Arc;

use hyper::body::{Bytes, Incoming};
use hyper::client::conn::http1::{self, SendRequest};
use hyper::header::{CONNECTION, HeaderMap, HeaderName, HeaderValue, TE, UPGRADE};
use hyper::{Method, Request, Response, StatusCode, Version};
use hyper_util::rt::TokioIo;
use rocket::tokio;
use rocket::tokio::sync::Mutex;
use tokio::net::TcpStream;

use super::pace::{Broken, Paced};
use crate::guard::secret::GateHeader;

/// What is about one connection and not about the request (RFC 9110, 7.6.1).
const OF_ONE_CONNECTION: [HeaderName; 4] = [CONNECTION, TE, UPGRADE, HeaderName::from_static("keep-alive")];

/// The server behind the gate.
pub struct Inner {
    /// Where it listens.
    pub address: SocketAddr,
    /// How it is told who asks.
    pub header: GateHeader,
}

/// A connection to the server behind one to the gate, between two requests: it breaks when the other does, so that
/// nothing is worked out for whoever has left.
pub type Upstream = Arc<Mutex<Option<SendRequest<Paced<Incoming>>>>>;

/// What whoever asks gets: what the server gives as it comes, or a sentence.
pub type Answer = http_body_util::Either<Incoming, http_body_util::Full<Bytes>>;

/// Asks the server what is asked of the gate.
pub async fn pass(
    inner: Arc<Inner>,
    upstream: Upstream,
    from: IpAddr,
    request: Request<Incoming>,
) -> Result<Response<Answer>, hyper::Error> {
    // Nothing here is a way to somewhere else.
    if request.method() == Method::CONNECT {
        return Ok(refused(StatusCode::METHOD_NOT_ALLOWED, "This server leads nowhere else."));
    }
    let Some(request) = told(request, &inner.header, from) else {
        return Ok(refused(StatusCode::BAD_REQUEST, "The request could not be understood; nothing was changed."));
    };
    let Some(mut sender) = connected(upstream.lock().await.take(), &inner).await else {
        return Ok(refused(StatusCode::SERVICE_UNAVAILABLE, "The server is stopping; nothing was changed."));
    };
    match sender.send_request(request).await {
        Ok(mut answer) => {
            *upstream.lock().await = Some(sender);
            of_one_request(answer.headers_mut());
            Ok(answer.map(http_body_util::Either::Left))
        }
        Err(e) if is_too_slow(&e) => {
            let why = "The request came too slowly and was given up; nothing was changed. Send it again.";
            Ok(refused(StatusCode::REQUEST_TIMEOUT, why))
        }
        // The server has closed the connection, or whoever asks has: so is the other.
        Err(e) => Err(e),
    }
}

/// The request as the server is to see it.
fn told(mut request: Request<Incoming>, header: &GateHeader, from: IpAddr) -> Option<Request<Paced<Incoming>>> {
    let name = HeaderName::from_bytes(header.name().as_bytes()).ok()?;
    of_one_request(request.headers_mut());
    request.headers_mut().insert(name, HeaderValue::from_str(&from.to_canonical().to_string()).ok()?);
    *request.version_mut() = Version::HTTP_11;
    Some(request.map(Paced::new))
}

fn of_one_request(headers: &mut HeaderMap) {
    for name in OF_ONE_CONNECTION {
        headers.remove(name);
    }
}

/// The connection there is, or one of its own.
async fn connected(kept: Option<SendRequest<Paced<Incoming>>>, inner: &Inner) -> Option<SendRequest<Paced<Incoming>>> {
    if let Some(mut sender) = kept
        && sender.ready().await.is_ok()
    {
        return Some(sender);
    }
    let stream = TcpStream::connect(inner.address).await.ok()?;
    stream.set_nodelay(true).ok()?;
    let (sender, connection) = http1::handshake(TokioIo::new(stream)).await.ok()?;
    // It ends with its sender.
    tokio::spawn(connection);
    Some(sender)
}

fn is_too_slow(e: &hyper::Error) -> bool {
    e.source().and_then(|why| why.downcast_ref::<Broken<hyper::Error>>()).is_some_and(|b| matches!(b, Broken::TooSlow))
}

fn refused(status: StatusCode, sentence: &'static str) -> Response<Answer> {
    let words = rocket::serde::json::json!({ "error": sentence }).to_string();
    let mut answer = Response::new(http_body_util::Either::Right(http_body_util::Full::from(words)));
    *answer.status_mut() = status;
    answer.headers_mut().insert(hyper::header::CONTENT_TYPE, HeaderValue::from_static("application/json"));
    answer.headers_mut().insert(CONNECTION, HeaderValue::from_static("close"));
    answer
}
