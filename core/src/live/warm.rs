//! Everything that playing may need, done once before anything plays.
//!
//! In the browser a function is compiled when it is first called, and memory costs most when it
//! is first touched. A unit added while a song plays must not be held up by either: each kind is
//! built, run, doubled and let go here, in every way that takes a fresh unit.

use std::sync::Arc;

use crate::rack::{Rack, RackSpec, UnitSpec};
use crate::signal::{BLOCK, Sound, StereoBlock};
use crate::unit::catalogue::KINDS;
use crate::unit::kind::UnitKind;
use crate::unit::param::{Change, Domain, Param};
use crate::unit::{Record, SoundId, Sounds};

/// Blocks each runs for: until a kernel is made and faded in.
const BLOCKS: usize = 40;
/// Frames of the response that units are given to hold: longer than those that run in short
/// partitions alone.
const RESPONSE: usize = 8192;

/// Builds and runs each kind of unit at a rate in Hz. Changes nothing that is heard.
pub fn warm(rate: f64) {
    for kind in KINDS {
        for spec in ways(kind) {
            let spec = RackSpec { units: vec![spec] };
            let mut rack = Rack::new(&spec, rate);
            run(&mut rack);
            run(&mut Rack::carried(&spec, rate, &rack));
        }
    }
}

fn run(rack: &mut Rack) {
    for n in 0..BLOCKS {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            let x = if (n * BLOCK + i) % 97 < 48 { 0.1 } else { -0.1 };
            block.set_frame(i, [x, -0.5 * x]);
        }
        rack.process(&mut block);
    }
}

/// A unit of a kind with a row in each list, in each way that takes a fresh one.
fn ways(kind: &'static UnitKind) -> Vec<UnitSpec> {
    let mut plain = UnitSpec::new(kind);
    for (rows, list) in plain.settings.lists.iter_mut().zip(kind.tables.lists) {
        rows.push(Record::defaults(list.params));
    }
    hold_a_sound(&mut plain);
    let options = |param: &'static Param| match param.domain {
        Domain::Choice { options, .. } if param.change == Change::Renews => options,
        _ => &[],
    };
    let others = kind.tables.params.iter().flat_map(|param| options(param).iter().map(|option| (param.id, option.id)));
    let chosen = others.map(|(param, option)| {
        let mut unit = plain.clone();
        unit.settings.fixed.choose(param, option);
        unit
    });
    std::iter::once(plain.clone()).chain(chosen).collect()
}

/// Gives a unit a sound wherever it takes one.
fn hold_a_sound(unit: &mut UnitSpec) {
    let id = SoundId::default();
    let mut sounds = Sounds::default();
    let click: Vec<f32> = (0..2 * RESPONSE).map(|i| if i == 0 { 1.0 } else { 0.0 }).collect();
    sounds.put(id, Arc::new(Sound::new(&click, 2, 48_000.0)));
    for param in unit.kind.tables.params {
        if matches!(param.domain, Domain::Sound { .. }) {
            unit.settings.fixed.name_sound(param.id, id);
        }
    }
    unit.settings.fixed.supply(&sounds);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_kind_is_among_them_and_every_way_that_takes_a_fresh_unit() {
        let all: Vec<UnitSpec> = KINDS.iter().flat_map(|kind| ways(kind)).collect();
        for kind in KINDS {
            let own: Vec<&UnitSpec> = all.iter().filter(|unit| unit.kind.id == kind.id).collect();
            assert!(own.iter().all(|unit| unit.works()), "{}", kind.id);
            for param in kind.tables.params.iter().filter(|p| p.change == Change::Renews) {
                let Domain::Choice { options, .. } = param.domain else { continue };
                for option in options {
                    assert!(
                        own.iter().any(|u| u.settings.fixed.choice(param.id) == option.id),
                        "{} {}",
                        kind.id,
                        option.id
                    );
                }
            }
        }
        warm(48_000.0);
    }
}
