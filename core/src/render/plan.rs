//! What is summed where: the shape of a mix.
//!
//! The **live set** of a page is the rack being worked on and everything
//! downstream of it. All else arrives as printed sources. A printed source is
//! itself described by a plan, so a print's content is known from its plan alone.

use serde::Serialize;
use serde_json::{Value as Json, json};

use crate::session::{Role, Session, Strip};

/// Where the sound of a lane comes from.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case", tag = "source")]
pub enum Source {
    /// A track's audio as recorded.
    Raw {
        /// The track.
        strip: u32,
    },
    /// A track after its rack, before its fader.
    Printed {
        /// The track.
        strip: u32,
    },
    /// What flows into a bus, before the bus's rack.
    IntoBus {
        /// The bus.
        bus: u32,
        /// A track left out.
        without: Option<u32>,
    },
    /// What flows into the main, before the main's rack.
    IntoMain {
        /// A track or bus left out.
        without: Option<u32>,
    },
}

/// One input of a mix.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Lane {
    /// What it plays.
    pub source: Source,
    /// The strip whose rack runs here, if any.
    pub rack: Option<u32>,
    /// The strip whose level and pan apply here, if any.
    pub fader: Option<u32>,
    /// The bus it flows into; none means the main sum.
    pub bus: Option<u32>,
}

/// A mix: lanes into buses into the main.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Plan {
    /// Inputs, in session order.
    pub lanes: Vec<Lane>,
    /// Buses whose rack and fader run.
    pub buses: Vec<u32>,
    /// The main, if its rack and level run.
    pub main: Option<u32>,
}

impl Plan {
    /// The whole song from printed tracks: what the Desk plays and the mix print is.
    #[must_use]
    pub fn desk(session: &Session) -> Self {
        Self {
            lanes: session.tracks().map(|t| printed_lane(session, t)).collect(),
            buses: session.buses().map(|b| b.id).collect(),
            main: Some(session.main_id()),
        }
    }

    /// One strip live with everything downstream; the rest printed. The strip
    /// is lane 0. `None` for a strip that does not exist.
    #[must_use]
    pub fn bench(session: &Session, strip: u32) -> Option<Self> {
        let strip = session.strip(strip)?;
        let main = session.main_id();
        let lane = |source, bus| Lane { source, rack: None, fader: None, bus };
        let focus = |source, bus| Lane { source, rack: Some(strip.id), fader: Some(strip.id), bus };
        let rest_of_main = |without| lane(Source::IntoMain { without: Some(without) }, None);
        Some(match strip.role {
            Role::Main => {
                Self { lanes: vec![focus(Source::IntoMain { without: None }, None)], buses: Vec::new(), main: None }
            }
            Role::Bus => Self {
                lanes: vec![focus(Source::IntoBus { bus: strip.id, without: None }, None), rest_of_main(strip.id)],
                buses: Vec::new(),
                main: Some(main),
            },
            Role::Track(_) => {
                let raw = Source::Raw { strip: strip.id };
                match strip.feeds.filter(|id| *id != main) {
                    Some(bus) => Self {
                        lanes: vec![
                            focus(raw, Some(bus)),
                            lane(Source::IntoBus { bus, without: Some(strip.id) }, Some(bus)),
                            rest_of_main(bus),
                        ],
                        buses: vec![bus],
                        main: Some(main),
                    },
                    None => Self {
                        lanes: vec![focus(raw, None), rest_of_main(strip.id)],
                        buses: Vec::new(),
                        main: Some(main),
                    },
                }
            }
        })
    }

    /// One strip alone as it would be printed: a track after its rack; a bus or
    /// the main with everything that feeds it, after rack and fader.
    #[must_use]
    pub fn stem(session: &Session, strip: u32) -> Option<Self> {
        let strip = session.strip(strip)?;
        match strip.role {
            Role::Main => Some(Self::desk(session)),
            Role::Track(_) => Self::of_source(session, &Source::Printed { strip: strip.id }),
            Role::Bus => Some(Self {
                lanes: tracks_into(session, strip.id).map(|t| printed_lane(session, t)).collect(),
                buses: vec![strip.id],
                main: None,
            }),
        }
    }

    /// The plan whose output a printed source is; `None` for raw audio.
    #[must_use]
    pub fn of_source(session: &Session, source: &Source) -> Option<Self> {
        let main = session.main_id();
        let sum = |lanes, buses| Some(Self { lanes, buses, main: None });
        match source {
            Source::Raw { .. } => None,
            Source::Printed { strip } => {
                let raw = Source::Raw { strip: *strip };
                sum(vec![Lane { source: raw, rack: Some(*strip), fader: None, bus: None }], Vec::new())
            }
            Source::IntoBus { bus, without } => {
                let tracks = tracks_into(session, *bus).filter(|t| Some(t.id) != *without);
                let lanes = tracks.map(|t| Lane { bus: None, ..printed_lane(session, t) }).collect();
                sum(lanes, Vec::new())
            }
            Source::IntoMain { without } => {
                let kept = |s: &&Strip| Some(s.id) != *without && (s.feeds == Some(main) || s.feeds != *without);
                let lanes = session.tracks().filter(kept).map(|t| printed_lane(session, t)).collect();
                let buses = session.buses().map(|b| b.id).filter(|b| Some(*b) != *without).collect();
                sum(lanes, buses)
            }
        }
    }

    /// Everything of the document that decides how this plan sounds, apart from
    /// the printed sources' own content: racks and faders by lane and bus.
    #[must_use]
    pub fn determinants(&self, session: &Session) -> Json {
        let rack = |id: Option<u32>| id.and_then(|id| session.strip(id)).map(sounding_rack);
        let fader = |id: Option<u32>| id.and_then(|id| session.strip(id)).map(|s| Json::Object(s.controls.to_json()));
        let lanes: Vec<Json> = self
            .lanes
            .iter()
            .map(|l| {
                let bus = l.bus.and_then(|b| self.buses.iter().position(|x| *x == b));
                json!([rack(l.rack), fader(l.fader), bus])
            })
            .collect();
        let buses: Vec<Json> = self.buses.iter().map(|b| json!([rack(Some(*b)), fader(Some(*b))])).collect();
        json!([session.rate, session.frames(), lanes, buses, rack(self.main), fader(self.main)])
    }
}

/// A rack without what does not sound: identities and the engineer's words.
fn sounding_rack(strip: &Strip) -> Json {
    let mut rack = strip.rack.clone();
    for unit in &mut rack.units {
        unit.id = 0;
        unit.why.clear();
    }
    rack.to_json()
}

fn tracks_into(session: &Session, target: u32) -> impl Iterator<Item = &Strip> {
    session.tracks().filter(move |t| t.feeds == Some(target))
}

fn printed_lane(session: &Session, track: &Strip) -> Lane {
    Lane {
        source: Source::Printed { strip: track.id },
        rack: None,
        fader: Some(track.id),
        bus: track.feeds.filter(|id| *id != session.main_id()),
    }
}
