//! Prints the trims with which the worked session's units leave their parts as loud as they came, for those whose level is
//! set by hand in `sessions.rs`: `cargo run --release -p zinc-demo --example levels`.

use zinc_core::measure::{LoudnessMeter, integrated_lufs};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::session::AudioRef;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_demo::recorded::crest_db;
use zinc_demo::sessions::worked;
use zinc_demo::song::{FRAMES, RATE};
use zinc_demo::stems::STEMS;

fn lufs(sound: &[StereoBlock]) -> f64 {
    let mut meter = LoudnessMeter::new(f64::from(RATE), 2);
    let mut tenths = Vec::new();
    sound.iter().for_each(|block| meter.push(block, BLOCK, |tenth| tenths.push(tenth)));
    integrated_lufs(&tenths).unwrap_or(-100.0)
}

fn main() {
    let audio: Vec<AudioRef> = STEMS
        .iter()
        .map(|s| AudioRef { hash: s.name.into(), channels: 1, frames: FRAMES as u64, start: 0, stamp: None })
        .collect();
    let session = worked(&audio);
    for stem in STEMS {
        let Some(strip) = session.strips.iter().find(|s| s.name == stem.name) else { continue };
        if !strip.rack.units.iter().any(|u| matches!(u.kind.id, "amp" | "cabinet" | "saturator" | "tape")) {
            continue;
        }
        let channels = (stem.render)().channels;
        let side = |n: usize| &channels[n.min(channels.len() - 1)];
        let mut sound: Vec<StereoBlock> = (0..FRAMES / BLOCK)
            .map(|b| {
                let mut block = StereoBlock::SILENT;
                block.left.copy_from_slice(&side(0)[b * BLOCK..(b + 1) * BLOCK]);
                block.right.copy_from_slice(&side(1)[b * BLOCK..(b + 1) * BLOCK]);
                block
            })
            .collect();
        for unit in &strip.rack.units {
            let mut alone = unit.clone();
            let _ = alone.set("trim_db", &0.into());
            let by_hand = matches!(unit.kind.id, "amp" | "cabinet" | "saturator" | "tape");
            let spec = RackSpec { units: vec![if by_hand { alone } else { unit.clone() }] };
            let before = lufs(&sound);
            let mut rack = Rack::new(&spec, f64::from(RATE));
            for block in &mut sound {
                rack.process(block);
            }
            let trim = if by_hand { before - lufs(&sound) } else { 0.0 };
            let gain = 10f32.powf(trim as f32 / 20.0);
            for block in &mut sound {
                block.left.iter_mut().chain(&mut block.right).for_each(|x| *x *= gain);
            }
            let left: Vec<f32> = sound.iter().flat_map(|b| b.left).collect();
            println!("{:16} {:12} trim {trim:+.1} crest {:.1}", stem.name, unit.kind.id, crest_db(&left));
        }
    }
}
