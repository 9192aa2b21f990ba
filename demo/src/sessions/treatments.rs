//! What was done to every strip of the worked session, and what was heard before.

use serde_json::{Value as Json, json};

use super::units::{at_level, bell, comp, eq, follows, high_pass, low_pass, moving, shelf, telephone, unit};
use crate::stems::{ACOUSTIC_RING_HZ, SNARE_RING_HZ, VIOLIN_ROOM_HZ};

/// What was noted on hearing each strip raw, and its rack.
pub(super) fn treatments() -> Vec<(&'static str, &'static str, Vec<Json>)> {
    vec![
        (
            "Kick",
            "fights the bass around 58 Hz, click is fine",
            vec![
                eq(
                    "leave the bass its fundamentals",
                    json!([
                        high_pass(32.0, 24),
                        bell(58.0, -3.5, 1.6),
                        bell(280.0, -3.0, 1.2),
                        shelf("high-shelf", 4200.0, 2.5)
                    ]),
                ),
                comp(
                    "hold the loud hits",
                    json!({ "threshold_db": -14.0, "ratio": 3.0, "attack_ms": 18.0, "release_ms": 90.0, "knee_db": 4.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Snare",
            "a shell ring that never stops",
            vec![
                eq(
                    "take the ring, keep the crack",
                    json!([
                        high_pass(90.0, 12),
                        bell(SNARE_RING_HZ, -14.0, 22.0),
                        bell(187.0, 2.0, 1.4),
                        shelf("high-shelf", 6000.0, 2.0)
                    ]),
                ),
                comp(
                    "bring up the body",
                    json!({ "threshold_db": -15.0, "ratio": 4.0, "attack_ms": 12.0, "release_ms": 120.0, "makeup_db": 3.0 }),
                ),
                unit("transient", "the stick back in front of it", json!({ "attack_db": 2.5 })),
            ],
        ),
        (
            "Overheads",
            "cymbals good, too much drum in them",
            vec![
                eq(
                    "cymbals only",
                    json!([high_pass(240.0, 18), bell(3900.0, -2.0, 1.5), shelf("high-shelf", 11_000.0, 1.5)]),
                ),
                json!({ "kind": "width", "why": "the cymbals out to the sides, the drum in them where it is", "params": { "width": 1.2, "centre_below_hz": 120 } }),
            ],
        ),
        (
            "Bass DI",
            "very uneven, rumbles below everything",
            vec![
                eq(
                    "rumble out, keep the low E whole",
                    json!([high_pass(34.0, 48), bell(220.0, -2.5, 1.0), bell(900.0, 2.0, 0.9)]),
                ),
                comp(
                    "even out, note by note",
                    json!({ "detect": "rms", "rms_ms": 25.0, "threshold_db": -22.0, "ratio": 4.0, "attack_ms": 8.0, "release_ms": 180.0, "knee_db": 8.0, "makeup_db": 3.0 }),
                ),
                at_level(
                    unit(
                        "amp",
                        "a voice of its own above the low E, the clean one beside it",
                        json!({ "voice": "round", "input_db": 4.0, "drive_db": 18.0, "middle": 0.6, "blend": 0.4 }),
                    ),
                    -7.7,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "wood around it",
                        json!({ "size": "15", "box": "sealed", "a_distance_cm": 12.0, "a_offset": 0.3, "room": 0.0 }),
                    ),
                    6.6,
                ),
            ],
        ),
        (
            "Bass cabinet",
            "nasal; late and upside down against the DI",
            vec![
                eq("the nose out", json!([high_pass(60.0, 12), bell(820.0, -8.0, 1.6), low_pass(4200.0, 12)])),
                comp(
                    "hold it behind the DI",
                    json!({ "threshold_db": -19.0, "ratio": 3.0, "attack_ms": 15.0, "release_ms": 150.0, "makeup_db": 2.0 }),
                ),
            ],
        ),
        (
            "Rhythm left DI",
            "palm mutes pile up low down",
            vec![
                at_level(
                    unit(
                        "amp",
                        "chords that hold together, picks that do not jump out",
                        json!({ "voice": "crunch", "input_db": 6.0, "drive_db": 26.0, "bass": 0.4, "middle": 0.6, "treble": 0.55 }),
                    ),
                    -18.8,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "a little off the dome",
                        json!({ "box": "open", "a_offset": 0.3, "a_distance_cm": 5.0 }),
                    ),
                    8.5,
                ),
                eq(
                    "room for the bass, less build-up",
                    json!([
                        high_pass(95.0, 24),
                        bell(165.0, -5.0, 1.8),
                        bell(2600.0, 2.5, 1.1),
                        bell(1500.0, -2.0, 1.2)
                    ]),
                ),
                comp(
                    "hold the mutes",
                    json!({ "threshold_db": -16.0, "ratio": 3.0, "attack_ms": 20.0, "release_ms": 110.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Rhythm right DI",
            "competes with the left in the upper mids",
            vec![
                at_level(
                    unit(
                        "amp",
                        "another amp than the left, cleaner and browner",
                        json!({ "voice": "early", "input_db": 8.0, "drive_db": 34.0, "bass": 0.45, "middle": 0.5, "treble": 0.5 }),
                    ),
                    -20.3,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "two cones and a ribbon, darker than the left",
                        json!({ "cones": "2", "box": "sealed", "a_type": "ribbon", "a_offset": 0.15, "a_distance_cm": 10.0 }),
                    ),
                    3.4,
                ),
                follows("the opposite of its partner where they compete", "Rhythm left DI", &[2, 3]),
                comp(
                    "hold the mutes",
                    json!({ "threshold_db": -16.0, "ratio": 3.0, "attack_ms": 20.0, "release_ms": 110.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Acoustic",
            "boomy on the hard strums, something sings just above A4",
            vec![
                eq(
                    "clear the ring, keep the wood",
                    json!([
                        high_pass(74.0, 24),
                        bell(108.0, -4.0, 1.5),
                        bell(196.0, -4.0, 1.3),
                        bell(ACOUSTIC_RING_HZ, -15.0, 32.0),
                        shelf("high-shelf", 9500.0, 2.0)
                    ]),
                ),
                comp(
                    "hold the boomy strums",
                    json!({ "threshold_db": -15.0, "ratio": 3.0, "attack_ms": 25.0, "release_ms": 140.0, "knee_db": 6.0, "key_low_cut_hz": 70.0, "makeup_db": 1.5 }),
                ),
                json!({ "kind": "width", "why": "wider strings, steady lows", "params": { "width": 1.3, "centre_below_hz": 180 } }),
                at_level(
                    unit("tape", "rounds the picks without dulling them", json!({ "speed": "30", "input_db": 9.0 })),
                    0.8,
                ),
            ],
        ),
        (
            "Lead DI",
            "dull",
            vec![
                at_level(
                    unit(
                        "amp",
                        "sustain and a voice; what was dull before it is full after it",
                        json!({ "voice": "lead", "input_db": 8.0, "drive_db": 9.0, "middle": 0.7, "treble": 0.7, "presence": 0.5 }),
                    ),
                    -16.5,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "on the dome for bite, a ribbon further back for body",
                        json!({ "cones": "4", "box": "sealed", "a_offset": 0.1, "a_distance_cm": 3.0, "b_on": true, "blend": 0.35, "room": 0.25 }),
                    ),
                    13.0,
                ),
                eq(
                    "bring it forward, after the amp where lifts stay clean",
                    json!([
                        high_pass(120.0, 12),
                        bell(420.0, -2.0, 1.2),
                        bell(2300.0, 2.5, 0.9),
                        shelf("high-shelf", 4000.0, 3.0)
                    ]),
                ),
                comp(
                    "steady the line, softly",
                    json!({ "action": "vari-mu", "threshold_db": -24.0, "ratio": 4.0, "attack_ms": 2.0, "release_ms": 150.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Electric piano",
            "boxy, sits where everything sits",
            vec![
                eq("open the box", json!([high_pass(90.0, 12), bell(410.0, -4.5, 1.1), bell(2200.0, 2.0, 1.0)])),
                comp(
                    "soften the bark",
                    json!({ "threshold_db": -24.0, "ratio": 2.0, "attack_ms": 15.0, "release_ms": 160.0, "makeup_db": 2.0 }),
                ),
                at_level(
                    unit(
                        "saturator",
                        "an octave above the tines, lows left alone",
                        json!({ "character": "tape", "drive_db": 0.0, "blend": 0.0,
                        "bands": [{ "from_hz": 180.0, "character": "tube", "drive_db": 15.0, "bias": 0.2, "blend": 0.8 }] }),
                    ),
                    0.0,
                ),
                telephone("in the Break alone: a telephone down the corridor"),
            ],
        ),
        (
            "Organ",
            "hums and blows when nobody plays",
            vec![
                eq(
                    "under the keys there is only leakage",
                    json!([high_pass(150.0, 36), bell(240.0, -3.0, 0.9), low_pass(9000.0, 12)]),
                ),
                at_level(
                    unit("saturator", "a growl when chords are held", json!({ "character": "tube", "drive_db": 18.0 })),
                    0.0,
                ),
            ],
        ),
        (
            "Cellos",
            "two plucks jump out",
            vec![
                eq(
                    "lighter below, rosin above",
                    json!([high_pass(58.0, 18), bell(230.0, -2.0, 1.2), bell(1800.0, 2.5, 1.0)]),
                ),
                unit(
                    "multiband",
                    "catch the two plucks where they jump out, leave the bow alone",
                    json!({ "bands": [
                        { "from_hz": 157.0, "threshold_db": -23.0, "ratio": 50.0, "knee_db": 0.0, "attack_ms": 0.5, "release_ms": 120.0 },
                        { "from_hz": 316.0 }
                    ] }),
                ),
            ],
        ),
        (
            "Violins",
            "a room note just under C#6, hard on top",
            vec![
                eq(
                    "out with the room note",
                    json!([high_pass(190.0, 18), bell(VIOLIN_ROOM_HZ, -13.0, 26.0), shelf("high-shelf", 5200.0, -4.0)]),
                ),
                comp(
                    "a slow hand",
                    json!({ "detect": "rms", "threshold_db": -24.0, "ratio": 2.0, "attack_ms": 60.0, "release_ms": 400.0, "knee_db": 10.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Voice",
            "comes close in the verse, swells below",
            vec![
                eq(
                    "steady the distance: the lows step back only when they swell",
                    json!([
                        high_pass(95.0, 18),
                        moving(shelf("low-shelf", 250.0, 0.0), -26.0, 7.0),
                        bell(3100.0, 2.0, 1.0),
                        shelf("high-shelf", 9000.0, 3.0)
                    ]),
                ),
                unit(
                    "gate",
                    "breath and hiss between the phrases a step further back",
                    json!({ "threshold_db": -46.0, "range_db": 8.0, "attack_ms": 1.0, "hold_ms": 200.0, "release_ms": 300.0, "lookahead_ms": 2.0 }),
                ),
                comp(
                    "ride the phrases",
                    json!({ "action": "opto", "threshold_db": -20.0, "ratio": 3.0, "makeup_db": 4.0 }),
                ),
            ],
        ),
        (
            "Drums",
            "",
            vec![
                comp(
                    "one kit; the kick does not pull the cymbals down",
                    json!({ "action": "vca", "threshold_db": -32.0, "ratio": 2.0, "attack_ms": 30.0, "release_ms": 110.0, "makeup_db": 1.0, "key_low_cut_hz": 150.0 }),
                ),
                unit(
                    "console-eq",
                    "weight and shine in two broad moves, some iron",
                    json!({ "input_db": 6.0, "colour": 0.2, "low_hz": "65", "low_db": 2.0, "high_hz": "9800", "high_db": 2.0 }),
                ),
            ],
        ),
        (
            "Bass",
            "",
            vec![
                eq("share the bottom with the kick", json!([bell(58.0, 1.5, 1.4), bell(150.0, -1.5, 1.0)])),
                comp(
                    "both tracks as one",
                    json!({ "threshold_db": -18.0, "ratio": 2.5, "attack_ms": 25.0, "release_ms": 160.0, "makeup_db": 1.0 }),
                ),
                json!({
                    "kind": "compressor", "why": "a step back at every kick, about 3 dB", "key": "Kick",
                    "params": { "threshold_db": -24.0, "ratio": 1.4, "attack_ms": 2.0, "release_ms": 80.0, "knee_db": 6.0 }
                }),
            ],
        ),
        (
            "Drum body",
            "",
            vec![comp(
                "what the kit does between the strokes",
                json!({ "action": "fet", "threshold_db": -34.0, "ratio": 8.0, "attack_ms": 0.5, "release_ms": 250.0, "knee_db": 6.0, "makeup_db": 6.0 }),
            )],
        ),
        (
            "Attack",
            "",
            vec![
                eq("picks only, no body", json!([high_pass(400.0, 24), bell(3200.0, 3.0, 0.8)])),
                comp(
                    "let the pick through, hold the rest",
                    json!({ "threshold_db": -30.0, "ratio": 6.0, "attack_ms": 30.0, "release_ms": 60.0, "knee_db": 0.0, "key_low_cut_hz": 300.0 }),
                ),
            ],
        ),
        (
            "Guitars",
            "",
            vec![
                eq("room for the voice", json!([bell(3000.0, -1.5, 0.8)])),
                comp(
                    "lean together",
                    json!({ "threshold_db": -26.0, "ratio": 1.5, "attack_ms": 30.0, "release_ms": 150.0 }),
                ),
            ],
        ),
        ("Keys", "", vec![eq("out of the low mids", json!([bell(300.0, -1.5, 0.8)]))]),
        (
            "Strings",
            "",
            vec![
                eq("beside the keys, not on them", json!([bell(350.0, -1.5, 0.8)])),
                unit(
                    "passive-eq",
                    "air that does not turn hard",
                    json!({ "high_hz": "12500", "high_boost_db": 4.0, "high_width": 0.8 }),
                ),
            ],
        ),
        (
            "Bass dirt",
            "",
            vec![
                at_level(
                    unit(
                        "saturator",
                        "felt, not heard; the lows stay clean beside it",
                        json!({ "character": "diode", "drive_db": 24.0, "bias": 0.3 }),
                    ),
                    0.9,
                ),
                eq("only what a small speaker plays", json!([high_pass(190.0, 12), low_pass(4500.0, 12)])),
            ],
        ),
        (
            "Main",
            "",
            vec![
                comp(
                    "a last half decibel of hold",
                    json!({ "threshold_db": -12.0, "ratio": 1.5, "attack_ms": 40.0, "release_ms": 200.0, "knee_db": 12.0 }),
                ),
                unit("limiter", "as loud as a record, no peak above", json!({ "ceiling_db": -1.5, "input_db": 6.5 })),
            ],
        ),
    ]
}
