//! Renders every stem and prints how long each took and how loud it is.
//!
//! `cargo run --release -p zinc-demo --example stems`

fn main() {
    for stem in zinc_demo::STEMS {
        let start = std::time::Instant::now();
        let audio = (stem.render)();
        let peak = audio.channels.iter().flatten().fold(0.0f32, |m, x| m.max(x.abs()));
        let all: Vec<f64> = audio.channels.iter().flatten().map(|x| f64::from(*x)).collect();
        let rms = (all.iter().map(|x| x * x).sum::<f64>() / all.len() as f64).sqrt();
        let (ms, peak_db, rms_db) = (start.elapsed().as_millis(), 20.0 * f64::from(peak).log10(), 20.0 * rms.log10());
        println!("{:18} {ms:5} ms  peak {peak_db:6.1}  rms {rms_db:6.1} dBFS", stem.name);
    }
}
