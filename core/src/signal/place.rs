//! The part of the stereo image that something works on.

use super::block::Frame;

/// Which part. Mid is what both sides share, side what differs.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Place {
    /// Both sides alike.
    #[default]
    Stereo,
    /// `(left + right) / 2`.
    Mid,
    /// `(left - right) / 2`.
    Side,
    /// The left side only.
    Left,
    /// The right side only.
    Right,
}

impl Place {
    /// All, in the order of the tables.
    pub const ALL: [Self; 5] = [Self::Stereo, Self::Mid, Self::Side, Self::Left, Self::Right];

    /// By its name in files; stereo for any other.
    #[must_use]
    pub fn from_id(id: &str) -> Self {
        match id {
            "mid" => Self::Mid,
            "side" => Self::Side,
            "left" => Self::Left,
            "right" => Self::Right,
            _ => Self::Stereo,
        }
    }

    /// Its part of a frame, on both lanes; the frame itself for stereo.
    #[inline]
    #[must_use]
    pub fn take(self, [l, r]: Frame) -> Frame {
        match self {
            Self::Stereo => [l, r],
            Self::Mid => [0.5 * (l + r); 2],
            Self::Side => [0.5 * (l - r); 2],
            Self::Left => [l; 2],
            Self::Right => [r; 2],
        }
    }

    /// The worked part (as [`Self::take`] gave it) beside what passed unchanged. Of lanes that
    /// were worked on differently it is what they share: a part is one sound.
    #[inline]
    #[must_use]
    pub fn put_back(self, worked: Frame, [l, r]: Frame) -> Frame {
        let w = 0.5 * (worked[0] + worked[1]);
        match self {
            Self::Stereo => worked,
            Self::Mid => [w + 0.5 * (l - r), w - 0.5 * (l - r)],
            Self::Side => [0.5 * (l + r) + w, 0.5 * (l + r) - w],
            Self::Left => [w, r],
            Self::Right => [l, w],
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_taken_and_put_back_unworked_is_the_frame() {
        for place in Place::ALL {
            let [l, r] = place.put_back(place.take([0.75, -0.25]), [0.75, -0.25]);
            assert_eq!([l, r], [0.75, -0.25], "{place:?}");
        }
    }

    #[test]
    fn of_lanes_worked_on_differently_what_they_share_is_put_back() {
        assert_eq!(Place::Mid.put_back([1.0, 0.0], [0.25, 0.25]), [0.5, 0.5]);
        assert_eq!(Place::Left.put_back([1.0, 0.0], [0.0, 0.125]), [0.5, 0.125]);
    }

    #[test]
    fn silencing_a_part_leaves_the_others() {
        let frame = [0.75, -0.25];
        let without = |place: Place| place.put_back([0.0; 2], frame);
        assert_eq!(without(Place::Mid), [0.5, -0.5]);
        assert_eq!(without(Place::Side), [0.25, 0.25]);
        assert_eq!(without(Place::Left), [0.0, -0.25]);
        assert_eq!(without(Place::Right), [0.75, 0.0]);
    }
}
