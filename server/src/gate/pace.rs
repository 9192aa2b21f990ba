//! The body of a request has to come at a pace.

use std::pin::Pin;
use std::task::{Context, Poll, ready};
use std::time::Duration;

use hyper::body::{Body, Bytes, Frame, SizeHint};
use rocket::tokio::time::{Instant, Sleep, sleep_until};

/// How long a body may be waited for, and the most that it can have won.
const GRACE: Duration = Duration::from_secs(60);
/// Bytes that win another second: the slowest of telephone lines.
const BYTES_PER_SECOND: u64 = 1000;

/// Why a body ends before it is whole.
#[derive(Debug)]
pub enum Broken<E> {
    /// It came too slowly.
    TooSlow,
    /// Its connection.
    Connection(E),
}

impl<E: std::fmt::Display> std::fmt::Display for Broken<E> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::TooSlow => f.write_str("it came too slowly"),
            Self::Connection(e) => e.fmt(f),
        }
    }
}

impl<E: std::error::Error> std::error::Error for Broken<E> {}

/// A body that is waited for so long as it keeps its pace. Only waiting counts: a server that is busy makes nobody slow.
pub struct Paced<B> {
    body: B,
    /// Waiting that it still has.
    left: Duration,
    /// Since when it is waited for, and until when it will be.
    waiting: Option<(Instant, Pin<Box<Sleep>>)>,
}

impl<B> Paced<B> {
    /// A body that begins to come now.
    pub fn new(body: B) -> Self {
        Self { body, left: GRACE, waiting: None }
    }

    fn has_come(&mut self, bytes: usize) {
        if let Some((since, _)) = self.waiting.take() {
            self.left = self.left.saturating_sub(since.elapsed());
        }
        self.left += Duration::from_secs(1) * u32::try_from(bytes).unwrap_or(u32::MAX) / BYTES_PER_SECOND as u32;
        self.left = self.left.min(GRACE);
    }
}

impl<B: Body<Data = Bytes> + Unpin> Body for Paced<B> {
    type Data = Bytes;
    type Error = Broken<B::Error>;

    fn poll_frame(
        mut self: Pin<&mut Self>,
        context: &mut Context<'_>,
    ) -> Poll<Option<Result<Frame<Bytes>, Self::Error>>> {
        let left = self.left;
        match Pin::new(&mut self.body).poll_frame(context) {
            Poll::Ready(come) => {
                let frame = come.map(|frame| frame.map_err(Broken::Connection));
                let bytes =
                    frame.as_ref().and_then(|f| f.as_ref().ok()).and_then(Frame::data_ref).map_or(0, Bytes::len);
                self.has_come(bytes);
                Poll::Ready(frame)
            }
            Poll::Pending => {
                let now = Instant::now();
                let (_, until) = self.waiting.get_or_insert_with(|| (now, Box::pin(sleep_until(now + left))));
                ready!(until.as_mut().poll(context));
                Poll::Ready(Some(Err(Broken::TooSlow)))
            }
        }
    }

    fn is_end_stream(&self) -> bool {
        self.body.is_end_stream()
    }

    fn size_hint(&self) -> SizeHint {
        self.body.size_hint()
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::convert::Infallible;
    use std::future::poll_fn;

    use rocket::tokio::runtime::{Builder, Runtime};

    /// What comes of a body, one after another: nothing for ever, where it is none.
    struct Given(Vec<Option<Bytes>>);

    impl Body for Given {
        type Data = Bytes;
        type Error = Infallible;

        fn poll_frame(mut self: Pin<&mut Self>, _: &mut Context<'_>) -> Poll<Option<Result<Frame<Bytes>, Infallible>>> {
            match self.0.last().cloned() {
                Some(None) => Poll::Pending,
                Some(Some(bytes)) => {
                    self.0.pop();
                    Poll::Ready(Some(Ok(Frame::data(bytes))))
                }
                None => Poll::Ready(None),
            }
        }
    }

    fn clock() -> Runtime {
        Builder::new_current_thread().enable_time().build().unwrap()
    }

    /// All that comes of it, and whether it ends whole.
    fn read(body: Given, left: Duration) -> (usize, bool) {
        let mut paced = Paced { left, ..Paced::new(body) };
        clock().block_on(async {
            let mut bytes = 0;
            loop {
                match poll_fn(|context| Pin::new(&mut paced).poll_frame(context)).await {
                    Some(Ok(frame)) => bytes += frame.into_data().unwrap().len(),
                    Some(Err(Broken::TooSlow)) => return (bytes, false),
                    None => return (bytes, true),
                    Some(Err(Broken::Connection(e))) => match e {},
                }
            }
        })
    }

    #[test]
    fn a_body_that_comes_is_read_whole_however_late_the_server_looks() {
        let body = Given(vec![Some(Bytes::from_static(b"cd")), Some(Bytes::from_static(b"ab"))]);
        assert_eq!(read(body, Duration::ZERO), (4, true));
    }

    #[test]
    fn a_body_that_stops_coming_ends_with_what_has_come() {
        let body = Given(vec![None, Some(Bytes::from_static(b"ab"))]);
        assert_eq!(read(body, Duration::from_millis(10)), (2, false));
    }

    #[test]
    fn what_has_come_wins_time_and_waiting_takes_it() {
        let clock = clock();
        let _inside = clock.enter();
        let mut paced = Paced { left: Duration::from_secs(10), ..Paced::new(Given(Vec::new())) };
        paced.has_come(5000);
        assert_eq!(paced.left, Duration::from_secs(15));
        let since = Instant::now().checked_sub(Duration::from_secs(12)).unwrap();
        paced.waiting = Some((since, Box::pin(sleep_until(since))));
        paced.has_come(1);
        assert!((2.8..3.01).contains(&paced.left.as_secs_f64()), "{:?}", paced.left);
        paced.has_come(usize::MAX);
        assert_eq!(paced.left, GRACE, "nothing is saved up for a long pause");
    }
}
