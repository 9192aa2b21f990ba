//! Which bytes of a sound a request asks for.

use rocket::Request;
use rocket::request::{FromRequest, Outcome};

/// Most bytes of one file given at once.
const LONGEST_RANGE: u64 = 16 << 20;

/// What a `Range` header asks for, as RFC 9110 has it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum ByteRange {
    /// Nothing, several ranges or what is no range: all of it.
    Whole,
    /// From a byte on, to another if there is one.
    From(u64, Option<u64>),
    /// So many last bytes.
    Last(u64),
}

impl ByteRange {
    /// Of a header, if there is one.
    fn of(header: Option<&str>) -> Self {
        let Some((unit, range)) = header.and_then(|h| h.split_once('=')) else { return Self::Whole };
        let Some((from, to)) = range.trim().split_once('-').filter(|_| unit.eq_ignore_ascii_case("bytes")) else {
            return Self::Whole;
        };
        match (from.parse(), to.parse()) {
            (Ok(from), Ok(to)) if from <= to => Self::From(from, Some(to)),
            (Ok(from), Err(_)) if to.is_empty() => Self::From(from, None),
            (Err(_), Ok(last)) if from.is_empty() => Self::Last(last),
            _ => Self::Whole,
        }
    }

    /// First and last byte of so many, at most so many as are given at once; none where it lies beyond them.
    pub(super) fn within(self, total: u64) -> Option<(u64, u64)> {
        let (from, to) = match self {
            Self::Whole => (0, u64::MAX),
            Self::From(from, to) => (from, to.unwrap_or(u64::MAX)),
            Self::Last(last) => (total.saturating_sub(last), if last == 0 { 0 } else { u64::MAX }),
        };
        let to = to.min(total.checked_sub(1)?).min(from.saturating_add(LONGEST_RANGE - 1));
        (from <= to && self != Self::Last(0)).then_some((from, to))
    }
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for ByteRange {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        Outcome::Success(Self::of(request.headers().get_one("Range")))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_range_is_read_as_the_standard_has_it_and_what_is_none_asks_for_all() {
        use ByteRange::{From, Last, Whole};
        for (header, is) in [
            (None, Whole),
            (Some("bytes=0-99"), From(0, Some(99))),
            (Some("Bytes=5-"), From(5, None)),
            (Some("bytes=-500"), Last(500)),
            (Some("bytes=0-1,5-9"), Whole),
            (Some("bytes=9-5"), Whole),
            (Some("bytes=-"), Whole),
            (Some("bytes=a-b"), Whole),
            (Some("bytes=1-99999999999999999999"), Whole),
            (Some("lines=1-2"), Whole),
            (Some("bytes"), Whole),
        ] {
            assert_eq!(ByteRange::of(header), is, "{header:?}");
        }
    }

    #[test]
    fn a_range_lies_within_what_there_is_and_is_none_beyond_it() {
        use ByteRange::{From, Last};
        for (range, of_hundred) in [
            (From(0, Some(9)), Some((0, 9))),
            (From(90, Some(900)), Some((90, 99))),
            (From(99, None), Some((99, 99))),
            (From(100, None), None),
            (From(u64::MAX, Some(u64::MAX)), None),
            (Last(10), Some((90, 99))),
            (Last(1000), Some((0, 99))),
            (Last(0), None),
        ] {
            assert_eq!(range.within(100), of_hundred, "{range:?}");
            assert_eq!(range.within(0), None, "{range:?} of nothing");
        }
        let (from, to) = From(7, None).within(u64::MAX).unwrap_or_default();
        assert_eq!((from, to - from + 1), (7, LONGEST_RANGE), "so much at once");
    }
}
