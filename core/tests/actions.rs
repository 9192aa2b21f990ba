//! The five ways of control, each as it is described in words.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::measure::probe::{With, probe};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

const ACTIONS: [&str; 5] = ["clean", "vca", "fet", "opto", "vari-mu"];

fn rack(params: &Value) -> RackSpec {
    let file = json!({"zinc_rack": 1, "units": [{"kind": "compressor", "params": params}]});
    RackSpec::from_json(&file).expect("a valid rack")
}

fn sine(hz: f64, n: usize, rate: f64) -> f64 {
    (std::f64::consts::TAU * hz * n as f64 / rate).sin()
}

/// Reduction in dB, one value a millisecond, of a tone of 1 kHz whose level in dBFS is a function
/// of the time in ms.
fn trace(params: &Value, rate: f64, ms: usize, level_db: impl Fn(f64) -> f64) -> Vec<f64> {
    let mut running = Rack::new(&rack(params), rate);
    let frames = (ms as f64 * rate / 1000.0) as usize;
    let mut all = Vec::with_capacity(frames + BLOCK);
    while all.len() < frames {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            let n = all.len() + i;
            let x = 10f64.powf(level_db(n as f64 * 1000.0 / rate) / 20.0) * sine(1000.0, n, rate);
            block.set_frame(i, [x, x]);
        }
        running.process(&mut block);
        all.extend(running.stations()[0].reduction().expect("it reduces").map(f64::from));
    }
    (0..ms).map(|t| all[(t as f64 * rate / 1000.0) as usize]).collect()
}

fn settings(action: &str, more: Value) -> Value {
    let mut params =
        json!({"action": action, "threshold_db": -30, "ratio": 4, "knee_db": 0, "attack_ms": 10, "release_ms": 200});
    params.as_object_mut().expect("an object").extend(more.as_object().cloned().expect("an object"));
    params
}

/// A level that is at the threshold, `over` dB over it for `long` ms from 500 ms on, then far below.
fn burst(over: f64, long: f64) -> impl Fn(f64) -> f64 {
    move |t| {
        if t < 500.0 {
            -30.0
        } else if t < 500.0 + long {
            -30.0 + over
        } else {
            -80.0
        }
    }
}

/// Milliseconds after `from` until the reduction has come to `share` of its way to that at `to`.
fn rise(r: &[f64], from: usize, to: usize, share: f64) -> usize {
    let (low, high) = (r[from - 1], r[to]);
    r[from..].iter().position(|x| *x >= low + share * (high - low)).expect("it attacks")
}

/// Milliseconds after `from` until only `left` of the reduction there is left.
fn fall(r: &[f64], from: usize, left: f64) -> usize {
    r[from..].iter().position(|x| *x <= left * r[from]).expect("it releases")
}

#[test]
fn every_action_keeps_its_times_and_its_curve_at_every_rate() {
    for action in ACTIONS {
        let at = |rate: f64| trace(&settings(action, json!({})), rate, 4000, burst(15.0, 1000.0));
        let (slow, usual, fast) = (at(44_100.0), at(48_000.0), at(96_000.0));
        for t in (505..4000).step_by(5) {
            for other in [&slow, &fast] {
                assert!((usual[t] - other[t]).abs() < 0.25, "{action} at {t} ms: {} and {}", usual[t], other[t]);
            }
        }
    }
}

#[test]
fn the_curve_an_action_states_is_the_one_it_settles_on() {
    for action in ACTIONS {
        for topology in ["own", "forward", "feedback"] {
            let params =
                settings(action, json!({"topology": topology, "attack_ms": 1, "release_ms": 1500, "rms_ms": 20}));
            let spec = rack(&params);
            for level in [-34.0, -25.0, -15.0, -5.0] {
                let stated = level - spec.units[0].transfer(level).expect("it has a curve");
                let settled = trace(&params, 48_000.0, 6000, |_| level)[5999];
                // An RMS detector hears a tone 3.01 dB below its peak.
                let heard = if action == "vca" { level - 3.01 } else { level };
                let wanted =
                    if action == "vca" { heard - spec.units[0].transfer(heard).expect("a curve") } else { stated };
                assert!((settled - wanted).abs() < 0.35, "{action} {topology} at {level}: {settled} of {wanted}");
            }
        }
    }
}

#[test]
fn vca_attacks_sooner_for_a_larger_step_and_releases_at_a_steady_number_of_decibels_a_second() {
    let of = |over: f64| {
        trace(&settings("vca", json!({"detect": "peak", "attack_ms": 30})), 48_000.0, 3000, burst(over, 800.0))
    };
    let (small, large) = (of(10.0), of(20.0));
    assert!(rise(&large, 500, 1290, 0.632) < rise(&small, 500, 1290, 0.632));
    // 15 dB at 4:1 over 20 dB: as much in each tenth of a second until it ends.
    let lost: Vec<f64> = [1310, 1410, 1510].windows(2).map(|t| large[t[0]] - large[t[1]]).collect();
    assert!((lost[0] - lost[1]).abs() < 0.3 && lost[0] > 2.0, "{lost:?}");
    // A step of 10 dB is covered to 63.2 % in the typed release.
    let ten = fall(&small, 1300, 0.368);
    // The mean of a tone is a little under its peaks: of 7.5 dB so many.
    let typed = 200.0 * small[1300] / 7.5;
    assert!((ten as f64 / typed - 1.0).abs() < 0.12, "{ten} ms of {typed}");
    assert!(fall(&large, 1300, 0.368) as f64 > 1.7 * ten as f64);
}

/// Effective times in ms of a step of 10 dB, as `probe` gives them.
fn effective(params: &Value) -> [f64; 2] {
    let found = probe(&rack(params), 48_000.0, With { level_db: -12.0, tone_hz: 1000.0 });
    let timing = json!(found);
    ["effective_attack_ms", "effective_release_ms"].map(|id| timing[id].as_f64().unwrap_or_else(|| panic!("{id}")))
}

#[test]
fn fet_attacks_and_releases_in_the_typed_times_over_its_own_scale_and_stays_at_its_ends_beyond() {
    for topology in ["feedback", "forward"] {
        for ratio in [4, 8, 20] {
            for (attack, release) in [(0.5, 60.0), (2.0, 200.0), (5.0, 500.0), (6.0, 1200.0)] {
                let of = json!({"topology": topology, "ratio": ratio, "attack_ms": attack, "release_ms": release});
                let [came, went] = effective(&settings("fet", of));
                println!("{topology} {ratio}:1 {attack} ms: {came:.2} ms, {release} ms: {went:.0} ms");
                // A tone of 1 kHz charges at its crests alone, which makes the shortest longer.
                let off = if attack < 1.0 { 0.5 } else { 0.25 };
                assert!((came / attack - 1.0).abs() < off, "{topology} {ratio}:1, attack {attack}: {came} ms");
                assert!((went / release - 1.0).abs() < 0.12, "{topology} {ratio}:1, release {release}: {went} ms");
            }
        }
    }
    let at = |attack: f64| effective(&settings("fet", json!({"attack_ms": attack})))[0];
    assert!(at(0.0) <= 0.5 && at(0.02) == at(0.0) && at(6.0) == at(300.0), "{} {}", at(0.0), at(10.0));
}

#[test]
fn fet_lets_deep_reduction_go_steadily_and_slows_down_at_its_end() {
    let r = trace(&settings("fet", json!({"ratio": 20})), 48_000.0, 2500, burst(30.0, 500.0));
    // While the divider is far down, 8.69 dB for each time constant of 150 ms; near its end less and less.
    let early = r[1020] - r[1100];
    assert!((early / 80.0 * 150.0 / 8.686 - 1.0).abs() < 0.2, "{early} dB in 80 ms");
    assert!(r[1600] - r[1680] < 0.4 * early);
}

#[test]
fn a_lower_operating_level_reduces_as_much_more_as_the_sound_would_come_in_hotter() {
    for action in ["vca", "fet", "opto", "vari-mu"] {
        let settled = |operating: f64, level: f64| {
            trace(&settings(action, json!({"operating_db": operating, "attack_ms": 1})), 48_000.0, 3000, |_| level)
                [2999]
        };
        for by in [-12.0, -6.0, 6.0, 12.0] {
            let (turned, hotter) = (settled(-18.0 + by, -14.0), settled(-18.0, -14.0 - by));
            assert!((turned - hotter).abs() < 0.05, "{action} by {by}: {turned} and {hotter}");
        }
        assert!(settled(-30.0, -14.0) > settled(-18.0, -14.0) + 2.0, "{action}");
    }
    let clean =
        |operating: f64| trace(&settings("clean", json!({"operating_db": operating})), 48_000.0, 500, |_| -14.0);
    assert_eq!(clean(-30.0), clean(-18.0), "what is exact has no such level");
}

#[test]
fn opto_takes_ten_milliseconds_or_so_lets_half_go_at_once_and_the_rest_the_slower_the_longer_it_worked() {
    // Out of the dark: at its threshold it works already.
    let burst = |long: f64| move |t: f64| if (500.0..500.0 + long).contains(&t) { -10.0 } else { -80.0 };
    let of = |long: f64| trace(&settings("opto", json!({})), 48_000.0, long as usize + 12_000, burst(long));
    let (short, long, longer) = (of(60.0), of(3000.0), of(9000.0));
    let attack = rise(&long, 500, 1000, 0.632);
    assert!((4..=25).contains(&attack), "{attack} ms");
    let (after_short, after_long, after_longer) = (560, 3500, 9500);
    assert!(fall(&short, after_short, 0.5) <= 80, "{}", fall(&short, after_short, 0.5));
    assert!((35..=95).contains(&fall(&long, after_long, 0.5)), "{}", fall(&long, after_long, 0.5));
    let rest =
        [(&short, after_short), (&long, after_long), (&longer, after_longer)].map(|(r, from)| fall(r, from, 0.15));
    assert!(rest[0] < 500 && rest[1] > 600 && rest[2] > rest[1] + 300, "{rest:?} ms");
    // Its times are its own.
    let typed = trace(&settings("opto", json!({"attack_ms": 0, "release_ms": 10})), 48_000.0, 12_060, burst(60.0));
    assert_eq!(typed, short);
}

#[test]
fn vari_mu_begins_gently_and_grows_past_ten_to_one_and_does_not_let_go_within_a_third_of_a_second() {
    let spec = rack(&settings("vari-mu", json!({"threshold_db": -60, "ratio": 6})));
    let out = |level: f64| spec.units[0].transfer(level).expect("a curve");
    let ratio = |level: f64| 0.2 / (out(level + 0.1) - out(level - 0.1));
    assert!(
        ratio(-58.0) < 1.8 && ratio(-40.0) > 2.5 && ratio(-8.0) > 10.0,
        "{} {} {}",
        ratio(-58.0),
        ratio(-40.0),
        ratio(-8.0)
    );
    let r = trace(&settings("vari-mu", json!({"release_ms": 10})), 48_000.0, 2500, burst(20.0, 700.0));
    assert!(fall(&r, 1200, 0.368) >= 290, "{}", fall(&r, 1200, 0.368));
    let r = trace(&settings("vari-mu", json!({"attack_ms": 0})), 48_000.0, 1200, burst(20.0, 600.0));
    assert!(r[501] < r[1090], "not at once");
}

#[test]
fn auto_release_lets_a_stroke_go_fast_and_long_work_slowly() {
    for action in ["clean", "vca", "fet", "vari-mu"] {
        let of = |auto: bool, long: f64| {
            let params = settings(action, json!({"auto_release": auto, "release_ms": 400, "detect": "peak"}));
            let r = trace(&params, 48_000.0, 16_000, burst(20.0, long));
            fall(&r, 499 + long as usize, 0.3)
        };
        let (stroke, long, plain) = (of(true, 40.0), of(true, 6000.0), of(false, 6000.0));
        assert!((stroke as f64) < 0.8 * plain as f64, "{action}: {stroke} ms of {plain}");
        assert!(long as f64 > 1.5 * stroke as f64, "{action}: {long} ms after long work, {stroke} after a stroke");
    }
}

/// Levels of the 2nd and 3rd overtone against the tone in dB, at a level and so much over the threshold.
fn overtones(action: &str, level_db: f64, threshold_db: f64) -> [f64; 2] {
    let params = settings(action, json!({"threshold_db": threshold_db, "release_ms": 2000, "rms_ms": 100}));
    let found = probe(&rack(&params), 48_000.0, With { level_db, ..With::default() });
    [found.harmonics[0].db, found.harmonics[1].db]
}

#[test]
fn clean_adds_nothing_vca_little_and_odd_opto_little_and_even() {
    for level in [-18.0, -6.0] {
        let [second, third] = overtones("clean", level, -20.0);
        assert!(second < -90.0 && third < -70.0, "clean at {level}: {second} {third}");
        let [second, third] = overtones("vca", level, 0.0);
        assert!(third < -55.0 && second < third - 20.0, "vca at {level}: {second} {third}");
        let [second, third] = overtones("opto", level, 0.0);
        assert!(second < -40.0 && second > third + 10.0, "opto at {level}: {second} {third}");
    }
}

#[test]
fn fet_bites_with_drive_and_leans_while_it_works_vari_mu_rounds_more_the_further_down() {
    let third = |level: f64| overtones("fet", level, 0.0)[1];
    // A cube: 2 dB for each dB while it is soft.
    assert!((third(-18.0) - third(-24.0) - 12.0).abs() < 1.5, "{} {}", third(-18.0), third(-24.0));
    assert!(third(-3.0) > -50.0);
    // While it takes 10 dB and more away the channel leans; at rest it does not.
    let (rest, working) = (overtones("fet", -6.0, 0.0)[0], overtones("fet", -6.0, -26.0)[0]);
    assert!(rest < -80.0 && working > -65.0, "{rest} {working}");
    let of = |threshold: f64| {
        let [second, third] = overtones("vari-mu", -6.0, threshold);
        assert!(third > second, "a pair: the third leads");
        third
    };
    // 0.12 of the cube at its deepest against 0.02 at rest, of a softer sound.
    assert!(of(-20.0) > of(0.0) - 8.0);
}

#[test]
fn crush_overshoots_takes_more_than_came_in_and_bites() {
    let plain = trace(&settings("clean", json!({"ratio": "inf", "attack_ms": 1})), 48_000.0, 1500, burst(20.0, 900.0));
    let crushed = trace(&settings("clean", json!({"crush": true, "attack_ms": 1})), 48_000.0, 1500, burst(20.0, 900.0));
    assert!(crushed[508] > plain[508] + 5.0, "{} and {}", crushed[508], plain[508]);
    assert!(crushed[508] > crushed[1300] + 4.0 && crushed[1300] > plain[1300] + 2.0);
    let spec = rack(&settings("fet", json!({"crush": true})));
    let out = |level: f64| spec.units[0].transfer(level).expect("a curve");
    assert!(out(-10.0) < out(-20.0), "louder in is softer out");
}

#[test]
fn each_edge_shaves_more_than_the_one_before_and_says_so_in_overtones() {
    let of = |edge: &str| {
        let params = json!({"threshold_db": 0, "ratio": 1, "edge": edge, "edge_at_db": -12});
        let found = probe(&rack(&params), 48_000.0, With { level_db: -6.0, ..With::default() });
        found.thd_percent
    };
    let (none, rounded, firm, flat) = (of("none"), of("rounded"), of("firm"), of("flat-top"));
    assert!(none < 0.01 && rounded > 3.0 && firm > rounded && flat > firm, "{none} {rounded} {firm} {flat}");
    // Nothing that is no overtone: a tone of 5 kHz shaved hard.
    let shaved = json!({"threshold_db": 0, "ratio": 1, "edge": "rounded", "edge_at_db": -12});
    let mut running = Rack::new(&rack(&shaved), 48_000.0);
    let mut out = Vec::new();
    for n in 0..200 {
        let mut block = StereoBlock::default();
        (0..BLOCK).for_each(|i| block.set_frame(i, [0.5 * sine(5000.0, n * BLOCK + i, 48_000.0); 2]));
        running.process(&mut block);
        out.extend(block.left.map(f64::from));
    }
    // 480 periods of 48 samples: whole numbers of every line at a multiple of 1 kHz.
    let line = |khz: usize| {
        let (re, im) = out[2560..].iter().take(480 * 48).enumerate().fold((0.0, 0.0), |(re, im), (n, x)| {
            let angle = std::f64::consts::TAU * ((khz * n) % 48) as f64 / 48.0;
            (re + x * angle.cos(), im + x * angle.sin())
        });
        20.0 * (f64::hypot(re, im) / (240.0 * 48.0)).log10()
    };
    for khz in (1..20).filter(|khz| khz % 5 != 0) {
        assert!(line(khz) < -80.0, "{khz} kHz at {} dBFS", line(khz));
    }
}
