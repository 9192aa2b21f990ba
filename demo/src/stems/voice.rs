//! The guide voice.

use super::stem::{StemAudio, finish, note};
use crate::instrument::voice::sing;
use crate::player::Hands;
use crate::song::{BARS, Part, at, part_of};
use crate::tools::{frame, high_shelf, low_cut, low_shelf, shape, silence};

type Phrase = &'static [(f64, f64, i32)];

const VERSE: Phrase = &[(0.0, 0.9, 64), (1.0, 0.9, 67), (2.0, 1.8, 66)];
const CHORUS: Phrase = &[(0.0, 1.8, 71), (2.0, 0.9, 74), (3.0, 0.9, 72)];

pub(super) fn voice() -> StemAudio {
    let mut out = silence();
    let mut hands = Hands::new(14, 18.0, 0.2, 4.0);
    for bar in 4..BARS {
        let phrase: Phrase = match part_of(bar) {
            Part::Verse => VERSE,
            Part::Chorus | Part::LastChorus => CHORUS,
            Part::Lift => &VERSE[..2],
            _ => &[],
        };
        for (beat, length, midi) in phrase {
            let n = hands.play(note(at(bar, *beat), *length, *midi, 0.6));
            sing(&mut out, n, hands.chance());
        }
    }
    // In the Verse the singer comes close to the microphone: lows swell.
    let mut close = out.clone();
    shape(&mut close, &[low_shelf(260.0, 9.0)]);
    let (from, to) = (frame(at(4, 0.0)), frame(at(12, 0.0)));
    out[from..to].copy_from_slice(&close[from..to]);
    shape(&mut out, &[low_cut(55.0), high_shelf(9000.0, -3.0)]);
    finish(vec![out], -6.0, 14)
}
