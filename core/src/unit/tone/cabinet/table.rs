//! Parameters of `cabinet`.

use crate::unit::param::{Choice, Domain, Param, Quantity, Taper, number};

const BOXES: &[Choice] = &[Choice { id: "open", label: "open back" }, Choice { id: "sealed", label: "sealed" }];
const CONES: &[Choice] =
    &[Choice { id: "1", label: "one" }, Choice { id: "2", label: "two" }, Choice { id: "4", label: "four" }];
const SIZES: &[Choice] = &[
    Choice { id: "8", label: "8 inch" },
    Choice { id: "10", label: "10 inch" },
    Choice { id: "12", label: "12 inch" },
    Choice { id: "15", label: "15 inch" },
];
const MICS: &[Choice] = &[
    Choice { id: "dynamic", label: "dynamic" },
    Choice { id: "ribbon", label: "ribbon" },
    Choice { id: "condenser", label: "condenser" },
];

const fn choice(
    id: &'static str,
    label: &'static str,
    hint: &'static str,
    options: &'static [Choice],
    default: usize,
) -> Param {
    Param::new(id, label, hint, Domain::Choice { options, default })
}

const fn distance(id: &'static str, default: f64) -> Param {
    let domain = number(1.0, 100.0, default, 0.02, Taper::Log, Quantity::Centimetres);
    Param::new(
        id,
        "distance",
        "Close: full lows, one point of the cone. Far: the whole cabinet, and the floor.",
        domain,
    )
    .steps()
}

const fn offset(id: &'static str, default: f64) -> Param {
    let domain = number(0.0, 1.0, default, 0.02, Taper::Linear, Quantity::Percent);
    Param::new(id, "off centre", "0: the dome, bright. 100 %: the cone's edge, dark.", domain).steps()
}

const fn angle(id: &'static str) -> Param {
    let domain = number(0.0, 70.0, 0.0, 5.0, Taper::Linear, Quantity::Degrees);
    Param::new(id, "turned", "Turned away it hears less of the top.", domain).steps()
}

const fn share(id: &'static str, label: &'static str, hint: &'static str, default: f64) -> Param {
    Param::new(id, label, hint, number(0.0, 1.0, default, 0.05, Taper::Linear, Quantity::Percent)).steps()
}

const fn switch(id: &'static str, label: &'static str, hint: &'static str, default: bool) -> Param {
    Param::new(id, label, hint, Domain::Switch { default })
}

/// All of them: the box, a microphone, another, the room; or a recorded response.
pub const PARAMS: &[Param] = &[
    choice("size", "cones of", "Small ones speak quicker and higher, large ones fuller.", SIZES, 2)
        .within("loudspeaker"),
    choice(
        "cones",
        "how many",
        "More of them are fuller and focus further out; one microphone hears the others late.",
        CONES,
        0,
    )
    .within("loudspeaker"),
    choice("box", "box", "Open: airy, the back comes round. Sealed: tight and full.", BOXES, 0).within("loudspeaker"),
    share(
        "horn",
        "horn",
        "A horn beside the cones from 3 kHz up, as some bass cabinets have: string and pick noise; none on a guitar's.",
        0.0,
    )
    .within("loudspeaker"),
    choice("a_type", "microphone", "Dynamic: forward. Ribbon: smooth. Condenser: open.", MICS, 0)
        .within("first microphone"),
    distance("a_distance_cm", 4.0).within("first microphone"),
    offset("a_offset", 0.1).within("first microphone"),
    angle("a_angle_deg").within("first microphone"),
    switch("b_on", "second microphone", "Another beside it.", false).within("second microphone"),
    choice("b_type", "second is", "Dynamic: forward. Ribbon: smooth. Condenser: open.", MICS, 1)
        .within("second microphone"),
    distance("b_distance_cm", 15.0).within("second microphone"),
    offset("b_offset", 0.6).within("second microphone"),
    angle("b_angle_deg").within("second microphone"),
    switch(
        "b_flip",
        "invert polarity",
        "Its polarity the other way round: what was full turns thin, or the reverse.",
        false,
    )
    .within("second microphone"),
    switch("align", "align", "The farther one is brought forward to the nearer one.", true).within("second microphone"),
    share("blend", "blend", "From the first alone to the second alone.", 0.5).within("second microphone"),
    share("room", "room", "Some of the room it stands in.", 0.1),
    Param::new(
        "sound",
        "own response",
        "A recorded impulse response in place of all this; silence before it is taken off.",
        Domain::Sound { max_seconds: 4.0 },
    ),
    Param::new(
        "hold_level",
        "match loudness",
        "As loud as it came in, whatever the part: places of the microphone are compared by their sound.",
        Domain::Switch { default: true },
    )
    .glides()
    .listens(),
];
