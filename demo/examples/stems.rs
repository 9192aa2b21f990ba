//! Renders stems and prints how long each took, how loud it is and its octave levels.
//!
//! `cargo run --release -p zinc-demo --example stems [NAME]`

use zinc_demo::recorded::{crest_db, octave_levels_db};
use zinc_demo::tools::mono;

fn main() {
    let only = std::env::args().nth(1).unwrap_or_default();
    for stem in zinc_demo::STEMS.iter().filter(|s| s.name.contains(&only)) {
        let start = std::time::Instant::now();
        let audio = (stem.render)();
        let ms = start.elapsed().as_millis();
        let sound = mono(&audio.channels);
        let peak = sound.iter().fold(0.0f32, |m, x| m.max(x.abs()));
        let (peak_db, crest_db) = (20.0 * f64::from(peak).log10(), crest_db(&sound));
        let octaves = octave_levels_db(&sound).map(|db| format!("{db:4.0}")).join(" ");
        println!("{:16} {ms:5} ms  rms {:6.1} crest {crest_db:4.1} {octaves}", stem.name, peak_db - crest_db);
    }
}
