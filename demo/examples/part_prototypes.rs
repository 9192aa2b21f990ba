//! Prints `core/src/measure/prototypes.rs`: figures of every part the demo plays, and
//! their spread over many variations.
//!
//! `cargo run --release -p zinc-demo --example part_prototypes > core/src/measure/prototypes.rs`

use zinc_core::measure::prototypes::FIGURES;
use zinc_demo::variations::{features, played, varied};

/// Variations of each stem; their seeds are even, those of the tests odd.
const VARIATIONS: u64 = 12;

fn main() {
    let mut rows = Vec::new();
    let mut spread = [0.0; FIGURES];
    let mut count = 0.0;
    for (n, (part, sound)) in played().into_iter().enumerate() {
        let varied = (0..VARIATIONS).map(|v| varied(&sound, 2 * (100 * n as u64 + v)));
        let all: Vec<[f64; FIGURES]> =
            std::iter::once(sound.clone()).chain(varied).filter_map(|s| features(&s).figures).collect();
        let mean: [f64; FIGURES] = std::array::from_fn(|k| all.iter().map(|f| f[k]).sum::<f64>() / all.len() as f64);
        for k in 0..FIGURES {
            spread[k] += all.iter().map(|f| (f[k] - mean[k]).powi(2)).sum::<f64>();
        }
        count += all.len() as f64;
        rows.push((part, mean));
    }
    println!("//! Figures of known parts; see [`super::features`].\n//!");
    println!("//! Printed by `cargo run --release -p zinc-demo --example part_prototypes` from played");
    println!("//! instruments in many variations (seeded). Do not edit by hand.\n");
    println!("use crate::session::Part;\n");
    println!("/// Number of figures.\npub const FIGURES: usize = {FIGURES};\n");
    println!("/// Ordinary spread of each figure among recordings of one part.");
    let line = |f: &[f64; FIGURES]| f.map(|x| format!("{x:.2}")).join(", ");
    println!("pub const SPREAD: [f64; FIGURES] = [{}];\n", line(&spread.map(|s| (s / count).sqrt().max(0.1))));
    println!("/// Parts with their figures.");
    println!("pub const PROTOTYPES: &[(Part, [f64; FIGURES])] = &[");
    rows.iter().for_each(|(part, mean)| println!("    (Part::{part:?}, [{}]),", line(mean)));
    println!("];");
}
