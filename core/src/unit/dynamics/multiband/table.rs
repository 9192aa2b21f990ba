//! Parameters of `multiband`.

use crate::unit::param::{
    ATTACK_MS, Domain, PLACES, Param, Quantity, RELEASE_MS, Rows, Taper, decibels, hertz, number,
};

/// Most bands.
pub const MAX_BANDS: usize = 6;
/// Of the whole.
pub const PARAMS: &[Param] = &[
    Param::new(
        "below",
        "below the lowest",
        "What lies under the lowest band, untouched; off while a band is heard alone.",
        Domain::Switch { default: true },
    ),
    Param::new("output_db", "output", "The level of all bands together.", decibels(-24.0, 24.0, 0.0)),
];

/// The bands.
pub const LISTS: &[Rows] = &[Rows {
    id: "bands",
    label: "band",
    params: &[
        Param::new(
            "from_hz",
            "from",
            "Where the band begins; it ends where the next one does.",
            hertz(20.0, 16_000.0, 200.0),
        ),
        Param::new(
            "threshold_db",
            "threshold",
            "Set it just under the event that shall be held, over everything else in the band.",
            decibels(-80.0, 0.0, -30.0),
        ),
        Param::new(
            "ratio",
            "ratio",
            "How firmly the band is held; 1:1 leaves it alone.",
            number(1.0, f64::INFINITY, 1.0, 0.01, Taper::Ratio, Quantity::Ratio),
        ),
        Param::new(
            "knee_db",
            "knee",
            "Wide hides the work.",
            number(0.0, 30.0, 3.0, 0.5, Taper::Linear, Quantity::Decibels),
        ),
        Param::new("attack_ms", "attack", "Slower lets the stroke of the band through.", ATTACK_MS),
        Param::new("release_ms", "release", "Slower keeps the band down for what follows.", RELEASE_MS),
        Param::new("range_db", "max reduction", "The band takes no more than this.", decibels(0.0, 60.0, 60.0)),
        Param::new("makeup_db", "make-up", "The band's own level.", decibels(-24.0, 24.0, 0.0)),
        Param::new(
            "place",
            "channels",
            "On which part of the image it works.",
            Domain::Choice { options: PLACES, default: 0 },
        ),
        Param::new("on", "on", "Off, the band passes untouched.", Domain::Switch { default: true }).glides(),
        Param::new("heard", "heard", "Off, the band is silent.", Domain::Switch { default: true }).glides(),
    ],
    max: MAX_BANDS,
    count_renews: true,
}];
