//! Dynamics on the demo's instruments: what stands out is found and held, the actions differ.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::advice::{duck, hold};
use zinc_core::measure::events::{Event, EventMeter};
use zinc_core::rack::RackSpec;
use zinc_core::trial::take::unlike_db;
use zinc_core::trial::{Passage, Take};
use zinc_demo::song::{RATE, at};
use zinc_demo::stems::STEMS;

fn stem(name: &str) -> Passage {
    let stem = STEMS.iter().find(|s| s.name == name).unwrap();
    let channels = (stem.render)().channels;
    let side = |n: usize| channels[n.min(channels.len() - 1)].clone();
    Passage {
        rate: f64::from(RATE),
        channels: channels.len(),
        left: side(0),
        right: side(1),
        start: 0,
        lead_in: Vec::new(),
    }
}

fn events(passage: &Passage) -> Vec<Event> {
    let mut meter = EventMeter::new(passage.rate);
    passage.blocks().for_each(|(block, frames)| meter.push(&block, frames));
    meter.finish()
}

fn rack(units: Value) -> RackSpec {
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": units})).unwrap()
}

#[test]
fn the_two_plucks_of_the_cellos_are_found_held_and_all_else_is_left_alone() {
    let cellos = stem("Cellos");
    let found = events(&cellos);
    println!("{found:#?}");
    let plucks = [15usize, 25].map(|bar| at(bar, 3.0));
    let near = |event: &Event| plucks.iter().any(|t| (event.at_s - t).abs() < 0.3);
    assert!(plucks.iter().all(|t| found.iter().any(|e| (e.at_s - t).abs() < 0.3)), "both are found");
    assert!(found.iter().all(near), "and nothing else");
    let bands = hold::bands(&cellos, &found[0], &found);
    println!("{}", json!(bands));
    let take = Take::of(&cellos, &rack(json!([{"kind": "multiband", "params": {"bands": bands}}])), None);
    let frame = |seconds: f64| (seconds * cellos.rate) as usize;
    let level = |sound: &Passage, from: f64, to: f64| {
        let part = sound.cut(frame(from), frame(to));
        20.0 * part.magnitude().into_iter().fold(1e-9, f64::max).log10()
    };
    for t in plucks {
        let (was, is) = (level(&cellos, t - 0.02, t + 0.15), level(&take.sound, t - 0.02, t + 0.15));
        println!("pluck at {t:.2} s: {was:.1} to {is:.1} dB");
        let most = take.reduction()[frame(t - 0.02)..frame(t + 0.3)].iter().fold(0.0f32, |m, r| m.max(*r));
        assert!(most >= 6.0, "the band takes {most} dB of it");
    }
    for second in 0..(cellos.seconds() as usize) {
        let t = second as f64;
        if plucks.iter().any(|at| t > at - 1.5 && t < at + 1.5) {
            continue;
        }
        // The edges turn the phase: peaks of a wave move, its power does not.
        let power = |sound: &Passage| {
            let part = sound.cut(frame(t), frame(t + 1.0));
            10.0 * (part.middle().iter().map(|x| x * x).sum::<f64>() / part.frames() as f64 + 1e-12).log10()
        };
        assert!(
            (power(&cellos) - power(&take.sound)).abs() < 0.3,
            "{t} s: {} to {}",
            power(&cellos),
            power(&take.sound)
        );
    }
}

#[test]
fn any_two_actions_reduce_bass_acoustic_and_snare_differently() {
    let mut least = f64::MAX;
    for name in ["Bass DI", "Acoustic", "Snare"] {
        let part = stem(name).cut(16 * 48_000, 28 * 48_000);
        // Each as it is used: a FET, whose times are those that are typed, at its fastest.
        let of = |action: &str, threshold: f64| {
            let (attack, release) = if action == "fet" { (0.02, 25) } else { (10.0, 150) };
            let unit = json!({"kind": "compressor", "params": {"action": action, "threshold_db": threshold, "ratio": 4, "attack_ms": attack, "release_ms": release}});
            Take::of(&part, &rack(json!([unit])), None).reduction()
        };
        let mean = |r: &[f32]| r.iter().map(|x| f64::from(*x)).sum::<f64>() / r.len() as f64;
        // The threshold at which each takes 8 dB on the mean, by halving.
        let traces: Vec<(&str, Vec<f32>)> = ["clean", "vca", "fet", "opto", "vari-mu"]
            .into_iter()
            .map(|action| {
                let (mut low, mut high) = (-60.0, 0.0);
                for _ in 0..7 {
                    let middle = 0.5 * (low + high);
                    if mean(&of(action, middle)) > 8.0 { low = middle } else { high = middle }
                }
                (action, of(action, low))
            })
            .collect();
        for (i, (one, a)) in traces.iter().enumerate() {
            for (other, b) in &traces[i + 1..] {
                let unlike = unlike_db(a, b);
                println!("{name}: {one} and {other} differ by {unlike:.2} dB rms");
                least = least.min(unlike);
            }
        }
    }
    assert!(least > 1.0, "two actions differ by {least:.2} dB only");
}

#[test]
fn the_bass_gives_way_by_what_was_asked_at_each_kick_and_is_back_before_the_next() {
    let (bass, kick) = (stem("Bass DI").cut(16 * 48_000, 36 * 48_000), stem("Kick").cut(16 * 48_000, 36 * 48_000));
    for depth_db in [3.0, 6.0] {
        let solved = duck::solve(&kick, depth_db).expect("there is a kick");
        let mut spec = rack(json!([solved.unit]));
        spec.units[0].id = 1;
        let take = Take::of(&bass, &spec, Some(&kick));
        let trace = take.reduction();
        let mut worst = (f64::MAX, 0.0f64);
        for (i, hit) in solved.hits.iter().enumerate() {
            let end = solved.hits.get(i + 1).copied().unwrap_or(trace.len());
            let most = trace[*hit..end.min(hit + 4800)].iter().fold(0.0f32, |m, r| m.max(*r));
            worst = (worst.0.min(f64::from(most)), worst.1.max(f64::from(most)));
            assert!((f64::from(most) - depth_db).abs() < 0.5, "hit {i}: {most} dB of {depth_db}");
            if end - hit > 4800 {
                assert!(trace[end - 1] < 0.5, "hit {i}: still {} dB before the next", trace[end - 1]);
            }
        }
        println!("{} kicks, {depth_db} dB asked: {:.2} to {:.2}", solved.hits.len(), worst.0, worst.1);
        assert!(solved.hits.len() > 15);
    }
}
