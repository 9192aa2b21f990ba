//! Parameters of `compressor`.

use crate::dynamics::action::{FET_ATTACK_MS, VARI_MU_ATTACK_MS};
use crate::unit::dynamics::shared::{KEY_HIGH_CUT, KEY_LOW_CUT, LOOKAHEAD, auto_release};
use crate::unit::param::{
    ATTACK_MS, Choice, Domain, Param, Quantity, RELEASE_MS, Reach, Rests, Taper, decibels, number,
};
use crate::unit::text::NOTE_VALUES;

/// Operating level in dBFS at which threshold and colour are as they are typed.
pub const OPERATING_DB: f64 = -18.0;
/// Longest hold in ms.
const MAX_HOLD_MS: f64 = 500.0;
const ACTIONS: &[Choice] = &[
    Choice { id: "clean", label: "clean" },
    Choice { id: "vca", label: "VCA" },
    Choice { id: "fet", label: "FET" },
    Choice { id: "opto", label: "opto" },
    Choice { id: "vari-mu", label: "vari-mu" },
];
const DETECTORS: &[Choice] =
    &[Choice { id: "own", label: "by type" }, Choice { id: "peak", label: "peak" }, Choice { id: "rms", label: "RMS" }];
const TOPOLOGIES: &[Choice] = &[
    Choice { id: "own", label: "by type" },
    Choice { id: "forward", label: "feed-forward" },
    Choice { id: "feedback", label: "feedback" },
];
const SIDES: &[Choice] =
    &[Choice { id: "left-right", label: "left and right" }, Choice { id: "mid-side", label: "middle and side" }];
const EDGES: &[Choice] = &[
    Choice { id: "none", label: "none" },
    Choice { id: "rounded", label: "rounded" },
    Choice { id: "firm", label: "firm" },
    Choice { id: "flat-top", label: "flat-top" },
];

/// A lamp and its cell have times of their own.
const OWN_TIMES: Rests = Rests::At("action", &["opto"]);
/// Circuits charge no faster and no slower than they can.
const CHARGES: &[Reach] = &[
    Reach { with: ("action", "fet"), range: FET_ATTACK_MS },
    Reach { with: ("action", "vari-mu"), range: VARI_MU_ATTACK_MS },
];
/// Crushing is a wall, whatever the curve.
const CRUSHED: Rests = Rests::At("crush", &["on"]);

/// The table, what matters most first.
pub const PARAMS: &[Param] = &[
    Param::new(
        "action",
        "type",
        "How the gain is controlled. Clean: exactly the figures. VCA: by the mean power, its release steady in dB. FET: at once, and it bites. Opto: its own slow times. Vari-mu: softer first, firmer the louder.",
        Domain::Choice { options: ACTIONS, default: 0 },
    ),
    Param::new(
        "threshold_db",
        "threshold",
        "Set it against the histogram: where the loud part of this material lives.",
        decibels(-60.0, 0.0, -20.0),
    )
    .within("curve"),
    Param::new(
        "ratio",
        "ratio",
        "How firmly: 2:1 evens out, 4:1 holds, above 10:1 is a wall.",
        number(1.0, f64::INFINITY, 2.0, 0.01, Taper::Ratio, Quantity::Ratio),
    )
    .within("curve")
    .rests(&[CRUSHED]),
    Param::new("attack_ms", "attack", "Slower lets the stroke through; faster takes it away.", ATTACK_MS)
        .within("timing")
        .between("fast", "slow")
        .reaches(CHARGES)
        .rests(&[OWN_TIMES]),
    Param::new(
        "release_ms",
        "release",
        "Too fast pumps, too slow ducks the next note. Try it in note values.",
        RELEASE_MS,
    )
    .within("timing")
    .between("fast", "slow")
    .rests(&[OWN_TIMES, Rests::Unless("release_note", &["ms"])]),
    Param::new(
        "makeup_db",
        "make-up",
        "Brings the level back; compare at equal loudness before you believe it.",
        decibels(-30.0, 30.0, 0.0),
    )
    .within("level"),
    Param::new(
        "knee_db",
        "knee",
        "Wide hides the work, hard makes it audible.",
        number(0.0, 30.0, 6.0, 0.5, Taper::Linear, Quantity::Decibels),
    )
    .within("curve")
    .further()
    .rests(&[CRUSHED, Rests::At("action", &["opto", "vari-mu"])]),
    Param::new(
        "topology",
        "detection",
        "Feed-forward hears the input; feedback hears what comes out, and eases into the work.",
        Domain::Choice { options: TOPOLOGIES, default: 0 },
    )
    .within("curve")
    .further(),
    Param::new(
        "detect",
        "detector",
        "Peak catches every spike; RMS follows loudness and lets the first transient through.",
        Domain::Choice { options: DETECTORS, default: 0 },
    )
    .within("timing"),
    Param::new(
        "rms_ms",
        "RMS window",
        "Longer follows the phrase, shorter the note.",
        number(1.0, 300.0, 30.0, 0.01, Taper::Log, Quantity::Milliseconds),
    )
    .within("timing")
    .further()
    .rests(&[Rests::At("detect", &["peak"])]),
    Param::new(
        "hold_ms",
        "hold",
        "Keeps the reduction still before it lets go: lows are not torn within their cycle.",
        number(0.0, MAX_HOLD_MS, 0.0, 0.01, Taper::Cubic, Quantity::Milliseconds),
    )
    .within("timing")
    .further(),
    Param::new(
        "release_note",
        "release as",
        "A note value follows the tempo; milliseconds stay.",
        Domain::Choice { options: NOTE_VALUES, default: 0 },
    )
    .glides()
    .within("timing")
    .further()
    .rests(&[OWN_TIMES]),
    auto_release(false).further().rests(&[OWN_TIMES]),
    LOOKAHEAD.further(),
    KEY_LOW_CUT,
    KEY_HIGH_CUT.further(),
    Param::new(
        "key_tilt_db",
        "key tilt",
        "Leans the key about 700 Hz: up, and highs drive it; down, and lows do.",
        decibels(-12.0, 12.0, 0.0),
    )
    .within("key")
    .further(),
    Param::new(
        "sides",
        "sides",
        "What is reduced apart where the link is loose.",
        Domain::Choice { options: SIDES, default: 0 },
    )
    .within("key")
    .further(),
    Param::new(
        "link",
        "link",
        "All: one reduction for both, the image stands still. None: each side by itself, louder and wider.",
        number(0.0, 1.0, 1.0, 0.05, Taper::Linear, Quantity::Percent),
    )
    .within("key")
    .further(),
    Param::new("input_db", "input", "Drives it harder, threshold and all.", decibels(-24.0, 36.0, 0.0))
        .within("level")
        .further(),
    Param::new(
        "couple_output",
        "link output to input",
        "The output moves as much down as the input moves up, so that only the work is heard; make-up stays on top.",
        Domain::Switch { default: false },
    )
    .glides()
    .within("level")
    .further(),
    Param::new(
        "auto_makeup",
        "auto make-up",
        "Gives back half of what the curve takes from full scale.",
        Domain::Switch { default: false },
    )
    .glides()
    .within("level")
    .further(),
    Param::new(
        "operating_db",
        "operating level",
        "The level the circuit is lined up to: lower, and it reduces more and colours more, as if all came in hotter.",
        decibels(-36.0, 0.0, OPERATING_DB),
    )
    .within("colour")
    .further()
    .rests(&[Rests::At("action", &["clean"])]),
    Param::new(
        "crush",
        "all ratios in",
        "Past its limit: output falls as input rises, it overshoots and bites.",
        Domain::Switch { default: false },
    )
    .within("colour")
    .further(),
    Param::new(
        "edge",
        "output clip",
        "How the last stage clips peaks, from a bend to a flat top; harmonics are the price.",
        Domain::Choice { options: EDGES, default: 0 },
    )
    .within("colour")
    .further(),
    Param::new("edge_at_db", "clip level", "No peak passes this level.", decibels(-36.0, 0.0, -6.0))
        .within("colour")
        .further()
        .rests(&[Rests::At("edge", &["none"])]),
];
