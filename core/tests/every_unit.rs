//! Promises every unit keeps at every setting, present and future kinds alike, by the facts its
//! kind states.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::units::{any_rack, any_unit, unit};
use proptest::prelude::*;
use serde_json::json;
use zinc_core::rack::{Rack, RackSpec, UnitSpec};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::unit::catalogue::KINDS;
use zinc_core::unit::kind::TAIL_DB;
use zinc_core::unit::param::{Domain, Rests};
use zinc_core::unit::value::Written;
use zinc_core::unit::{Param, Record, Tail, UnitKind};

const RATE: f64 = 48_000.0;

/// Samples an engineer's file may hold, and ones it should not.
fn any_sample() -> impl Strategy<Value = f32> {
    prop_oneof![8 => -1.0f32..1.0, 1 => -1e6f32..1e6, 1 => Just(f32::MIN_POSITIVE / 4.0), 1 => Just(0.0f32)]
}

/// Seeded noise of both sides at a frame, within full scale.
fn noise(n: usize) -> [f64; 2] {
    [white(n), white(n + 1_000_003)]
}

fn block_of(first: usize, signal: impl Fn(usize) -> [f64; 2]) -> StereoBlock {
    let mut block = StereoBlock::default();
    (0..BLOCK).for_each(|i| block.set_frame(i, signal(first + i)));
    block
}

/// What leaves a rack for so many blocks of a signal.
fn run(rack: &mut Rack, blocks: usize, signal: impl Fn(usize) -> [f64; 2]) -> Vec<StereoBlock> {
    (0..blocks)
        .map(|n| {
            let mut block = block_of(n * BLOCK, &signal);
            rack.process(&mut block);
            block
        })
        .collect()
}

fn loudest(blocks: &[StereoBlock]) -> f64 {
    blocks.iter().map(|b| f64::from(b.peak())).fold(0.0, f64::max)
}

/// Blocks until even the latest unit has given out what it was given.
fn blocks_of(spec: &RackSpec) -> usize {
    40 + 2 * spec.latency(RATE) / BLOCK
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, ..ProptestConfig::default() })]

    #[test]
    fn finite_in_is_finite_out(spec in any_rack(), samples in prop::collection::vec(any_sample(), 256)) {
        let mut rack = Rack::new(&spec, RATE);
        let out = run(&mut rack, blocks_of(&spec), |n| [f64::from(samples[n % 256]), f64::from(samples[n * 7 % 256])]);
        for block in out {
            prop_assert!(block.left.iter().chain(&block.right).all(|x| x.is_finite()), "{}", spec.to_json());
        }
    }

    #[test]
    fn silence_in_is_silence_out(spec in any_rack()) {
        let mut rack = Rack::new(&spec, RATE);
        prop_assert_eq!(loudest(&run(&mut rack, blocks_of(&spec), |_| [0.0; 2])), 0.0);
    }

    #[test]
    fn switched_off_a_unit_is_a_pure_delay_of_the_latency_it_states(mut unit in any_unit()) {
        // That it is as late while it works, `latency.rs` measures on its sound.
        unit.common.switch("on", false);
        let spec = RackSpec { units: vec![unit] };
        let (latency, blocks) = (spec.latency(RATE), blocks_of(&spec));
        let mut rack = Rack::new(&spec, RATE);
        prop_assert_eq!(rack.latency(), latency);
        for (n, block) in run(&mut rack, blocks, noise).iter().enumerate() {
            for i in 0..BLOCK {
                let want = (n * BLOCK + i).checked_sub(latency).map_or([0.0; 2], noise).map(|x| x as f32);
                prop_assert_eq!([block.left[i], block.right[i]], want);
            }
        }
    }

    #[test]
    fn a_sound_is_gone_after_the_tail_stated(mut unit in any_unit()) {
        unit.common.put_number("trim_db", 0.0);
        let spec = RackSpec { units: vec![unit] };
        let Tail::Frames(tail) = spec.tail(RATE) else { return Ok(()) };
        // Half a minute is longer than anything rings that is looked for here.
        prop_assume!(tail < 30 * 48_000);
        let mut rack = Rack::new(&spec, RATE);
        let burst = 4800;
        run(&mut rack, burst / BLOCK, noise);
        run(&mut rack, (spec.latency(RATE) + tail).div_ceil(BLOCK) + 1, |_| [0.0; 2]);
        let left = loudest(&run(&mut rack, 8, |_| [0.0; 2]));
        prop_assert!(left <= 10f64.powf(TAIL_DB / 20.0), "{left} left after {tail} frames: {}", spec.to_json());
    }

    #[test]
    fn a_reset_rack_sounds_as_if_newly_built(spec in any_rack()) {
        let (mut used, mut fresh) = (Rack::new(&spec, RATE), Rack::new(&spec, RATE));
        run(&mut used, 50, noise);
        used.reset();
        let blocks = blocks_of(&spec);
        for (a, b) in run(&mut used, blocks, noise).iter().zip(&run(&mut fresh, blocks, noise)) {
            prop_assert!(a.left == b.left && a.right == b.right, "{}", spec.to_json());
        }
    }

    #[test]
    fn mix_0_is_the_input_delayed(mut unit in any_unit()) {
        unit.common.put_number("mix", 0.0);
        unit.common.put_number("trim_db", 0.0);
        let spec = RackSpec { units: vec![unit] };
        let latency = spec.latency(RATE);
        let mut rack = Rack::new(&spec, RATE);
        for (n, block) in run(&mut rack, blocks_of(&spec), noise).iter().enumerate() {
            for i in 0..BLOCK {
                let want = (n * BLOCK + i).checked_sub(latency).map_or([0.0; 2], noise).map(|x| x as f32);
                prop_assert_eq!([block.left[i], block.right[i]], want, "{}", spec.to_json());
            }
        }
    }

    #[test]
    fn what_a_unit_does_not_work_on_passes_unchanged(mut unit in any_unit(), place in 1usize..5) {
        let place = ["stereo", "mid", "side", "left", "right"][place];
        unit.common.choose("place", place);
        unit.common.put_number("mix", 1.0);
        unit.common.put_number("trim_db", 0.0);
        unit.common.switch("on", true);
        let spec = RackSpec { units: vec![unit] };
        let latency = spec.latency(RATE);
        let mut rack = Rack::new(&spec, RATE);
        for (n, block) in run(&mut rack, blocks_of(&spec), noise).iter().enumerate() {
            for i in 0..BLOCK {
                let [l, r] = (n * BLOCK + i).checked_sub(latency).map_or([0.0; 2], noise).map(|x| f64::from(x as f32));
                let [out_l, out_r] = block.frame(i);
                // A side passes to the bit; middle and side go through the rounding of both
                // sides to 32 bits.
                let (was, is, slack) = match place {
                    "left" => (r, out_r, 0.0),
                    "right" => (l, out_l, 0.0),
                    "mid" => (l - r, out_l - out_r, 2f64.powi(-23)),
                    _ => (l + r, out_l + out_r, 2f64.powi(-23)),
                };
                let loud = out_l.abs().max(out_r.abs()).max(1.0);
                prop_assert!((was - is).abs() <= slack * loud, "{was} and {is} on {place}: {}", spec.to_json());
            }
        }
    }

    #[test]
    fn after_how_much_silence_a_sound_comes_changes_nothing(spec in any_rack(), wait in 0usize..9) {
        let blocks = blocks_of(&spec);
        let (mut early, mut late) = (Rack::new(&spec, RATE), Rack::new(&spec, RATE));
        run(&mut late, wait, |_| [0.0; 2]);
        let (a, b) = (run(&mut early, blocks, noise), run(&mut late, blocks, noise));
        // A late unit and one that holds a sound work through transforms, whose rounding depends
        // on where a partition begins; all others give the same bits.
        let transforms = spec.latency(RATE) > 0 || spec.sounds().next().is_some();
        let slack = if transforms { 1e-6 * loudest(&a) as f32 } else { 0.0 };
        for (a, b) in a.iter().zip(&b) {
            for (x, y) in a.left.iter().zip(&b.left).chain(a.right.iter().zip(&b.right)) {
                prop_assert!((x - y).abs() <= slack, "{x} and {y}: {}", spec.to_json());
            }
        }
    }

    #[test]
    fn a_linear_unit_gives_twice_for_twice(mut unit in any_unit()) {
        unit.common.switch("on", true);
        prop_assume!(unit.is_linear());
        let spec = RackSpec { units: vec![unit] };
        let blocks = blocks_of(&spec);
        let (mut one, mut two) = (Rack::new(&spec, RATE), Rack::new(&spec, RATE));
        let (a, b) = (run(&mut one, blocks, |n| noise(n).map(|x| 0.25 * x)), run(&mut two, blocks, |n| noise(n).map(|x| 0.5 * x)));
        let slack = 1e-5 * loudest(&b).max(1e-3);
        for (a, b) in a.iter().zip(&b) {
            for i in 0..BLOCK {
                prop_assert!((2.0 * a.frame(i)[0] - b.frame(i)[0]).abs() <= slack, "{}", spec.to_json());
            }
        }
    }

    #[test]
    fn a_twin_goes_on_as_the_unit_itself_does(spec in any_rack()) {
        let mut rack = Rack::new(&spec, RATE);
        let blocks = blocks_of(&spec);
        run(&mut rack, blocks, noise);
        let mut twin = Rack::carried(&spec, RATE, &rack);
        for (a, b) in run(&mut rack, blocks, noise).iter().zip(&run(&mut twin, blocks, noise)) {
            prop_assert!(a.left == b.left && a.right == b.right, "{}", spec.to_json());
        }
    }

    #[test]
    fn a_rack_that_was_moved_comes_to_sound_like_one_that_began_there(from in any_rack(), to in any_rack()) {
        let mut moved = Rack::new(&from, RATE);
        if moved.fits(&to) { moved.update(&to) } else { moved = Rack::carried(&to, RATE, &moved) }
        let mut fresh = Rack::new(&to, RATE);
        for _ in 0..80 + (from.latency(RATE) + to.latency(RATE)) / BLOCK {
            moved.process(&mut StereoBlock::default());
            moved.catch_up();
        }
        for (a, b) in run(&mut moved, blocks_of(&to), noise).iter().zip(&run(&mut fresh, blocks_of(&to), noise)) {
            for (x, y) in a.left.iter().zip(&b.left) {
                prop_assert!((x - y).abs() <= 1e-6 * (1.0 + y.abs()), "{x} and {y}");
            }
        }
    }

    #[test]
    fn a_parameter_moved_while_it_sounds_makes_no_step(mut unit in any_unit(), which in 0usize..100, seed in any::<u64>()) {
        // A slow tone has small steps of its own: a jump of the unit stands out.
        unit.common.switch("on", true);
        let params = unit.kind.tables.params;
        let before = RackSpec { units: vec![unit.clone()] };
        let Some(param) = params.get(which % params.len()) else { return Ok(()) };
        let value = common::units::value_by_seed(param, seed);
        unit.set(param.id, &value).expect("within its range");
        let after = RackSpec { units: vec![unit] };
        let mut rack = Rack::new(&before, RATE);
        prop_assume!(rack.fits(&after));
        let tone = |n: usize| [0.25 * (0.01 * n as f64).sin(); 2];
        let settle = 400 + blocks_of(&before);
        let mut out = run(&mut rack, settle, tone);
        rack.update(&after);
        let begin = settle;
        out.extend((begin..begin + 200 + blocks_of(&after)).map(|n| {
            let mut block = block_of(n * BLOCK, tone);
            rack.process(&mut block);
            if n % 12 == 0 { rack.catch_up() }
            block
        }));
        // The last frame of the settled stretch and all after it. A full swing from the loudest
        // to its opposite within a crossfade of 480 frames is the most that may be.
        let frames: Vec<f64> = out[settle - 1..].iter().flat_map(|b| b.left.map(f64::from)).collect();
        let loud = loudest(&out[settle - 60..]);
        // An amplifier makes edges of the tone itself: those it made before it was moved, and those
        // it makes once it has settled, are its own.
        let steepest = |frames: &[f64]| frames.windows(2).map(|w| (w[1] - w[0]).abs()).fold(0.0, f64::max);
        let ahead: Vec<f64> = out[settle - 60..settle].iter().flat_map(|b| b.left.map(f64::from)).collect();
        let own = steepest(&ahead).max(steepest(&frames[frames.len() - 60 * BLOCK..]));
        let worst = steepest(&frames);
        prop_assert!(worst <= 0.03 * loud + 1.5 * own + 1e-4, "a step of {worst} at a level of {loud}: {} to {value} of {}", param.id, before.to_json());
    }
}

#[test]
fn each_station_is_told_where_in_the_song_its_own_input_stands() {
    let late = json!({"lookahead_ms": 2});
    let spec =
        RackSpec { units: vec![unit("compressor", &late), unit("drawn-eq", &json!({})), unit("width", &json!({}))] };
    let mut rack = Rack::new(&spec, RATE);
    rack.process_tapped(&mut StereoBlock::default(), &zinc_core::rack::Keys::default(), 50_000, |_, _| {});
    let told: Vec<i64> = rack.stations().iter().map(zinc_core::rack::station::Station::song_frame).collect();
    let drawn = spec.units[1].latency(RATE) as i64;
    assert_eq!(told, [50_000, 50_000 - 96, 50_000 - 96 - drawn]);
}

#[test]
fn a_unit_driven_by_numbers_of_the_song_goes_where_settings_would_take_it() {
    for (kind, path, value) in [
        ("compressor", "threshold_db", -35.0),
        ("width", "width", 0.3),
        ("surgical-eq", "bands[0].gain_db", 5.0),
        ("drawn-eq", "points[0].gain_db", 5.0),
    ] {
        let rows = json!([{"freq_hz": 700, "gain_db": -4}]);
        let params = match kind {
            "surgical-eq" => json!({ "bands": rows }),
            "drawn-eq" => json!({ "points": rows }),
            _ => json!({}),
        };
        let mut spec: UnitSpec = unit(kind, &params);
        let at = spec.kind.tables.find(path).expect("a parameter");
        let mut by_number = (spec.kind.build)(&spec.settings, RATE);
        by_number.snap();
        by_number.settings_mut().put_number_at(at, value);
        by_number.take_settings();
        by_number.snap();
        spec.set(path, &value.into()).expect("in range");
        let mut by_settings = (spec.kind.build)(&spec.settings, RATE);
        by_settings.snap();
        for n in 0..150 {
            let (mut a, mut b) = (block_of(n * BLOCK, noise), block_of(n * BLOCK, noise));
            by_number.process(&mut a, None);
            by_settings.process(&mut b, None);
            assert!(a.left == b.left && a.right == b.right, "{kind} {path} in block {n}");
        }
    }
}

/// Values of others of a table with which a parameter of it rests, each way by name.
fn resting_at(params: &[Param], rests: &Rests) -> Vec<Vec<(&'static str, Written)>> {
    let options = |id: &str| -> Vec<&'static str> {
        match params.iter().find(|p| p.id == id).expect("in the same table").domain {
            Domain::Choice { options, .. } => options.iter().map(|o| o.id).collect(),
            _ => vec!["off", "on"],
        }
    };
    let (id, listed, wanted) = match rests {
        Rests::At(id, listed) => (*id, listed, true),
        Rests::Unless(id, listed) => (*id, listed, false),
        Rests::Both(one, other) => {
            let others = resting_at(params, other);
            let with =
                |one: Vec<_>| others.iter().map(move |other| [one.clone(), other.clone()].concat()).collect::<Vec<_>>();
            return resting_at(params, one).into_iter().flat_map(with).collect();
        }
    };
    let chosen = options(id).into_iter().filter(|o| listed.contains(o) == wanted);
    let as_value = |o: &str| match o {
        "on" => true.into(),
        "off" => false.into(),
        text => text.parse::<f64>().map_or(text.into(), Written::from),
    };
    chosen.map(|o| vec![(id, as_value(o))]).collect()
}

/// The tables of a kind, with what leads to a value of each: nothing, or the first row of a list.
fn tables(kind: &UnitKind) -> Vec<(&'static [Param], String)> {
    let lists = kind.tables.lists.iter().map(|rows| (rows.params, format!("{}[0].", rows.id)));
    std::iter::once((kind.tables.params, String::new())).chain(lists).collect()
}

/// A unit with one row in each list, none of whose numbers is at rest.
fn with_rows(kind: &UnitKind) -> UnitSpec {
    let mut all = unit(kind.id, &json!({}));
    for (rows, list) in kind.tables.lists.iter().zip(&mut all.settings.lists) {
        let mut row = Record::defaults(rows.params);
        for param in rows.params {
            match param.domain {
                Domain::Number { min, max, taper, .. } => row.put_number(param.id, taper.value_at(0.7, min, max)),
                Domain::Switch { .. } => row.switch(param.id, true),
                _ => {}
            }
        }
        list.push(row);
    }
    all
}

#[test]
fn a_parameter_that_is_said_to_rest_changes_nothing() {
    let mut tried = 0;
    for kind in KINDS {
        for (params, path) in tables(kind) {
            for param in params {
                let plain = if path.is_empty() { unit(kind.id, &json!({})) } else { with_rows(kind) };
                let at: Vec<_> = param.rests.iter().flat_map(|rests| resting_at(params, rests)).collect();
                for others in at {
                    let mut still = plain.clone();
                    for (other, value) in &others {
                        still.set(&format!("{path}{other}"), value).expect("an option");
                    }
                    let values = match param.domain {
                        Domain::Number { min, max, taper, .. } => {
                            [0.0, 0.99].map(|t| Written::from(taper.value_at(t, min, max)))
                        }
                        Domain::Choice { options, .. } => [options[0].id.into(), options[options.len() - 1].id.into()],
                        _ => [false.into(), true.into()],
                    };
                    let heard = values.map(|value| {
                        let mut unit = still.clone();
                        unit.set(&format!("{path}{}", param.id), &value).expect("within its range");
                        let mut rack = Rack::new(&RackSpec { units: vec![unit] }, RATE);
                        let soft = |n: usize| if n % 9600 < 4800 { noise(n) } else { noise(n).map(|x| 0.02 * x) };
                        run(&mut rack, 400, soft)
                    });
                    let same = heard[0].iter().zip(&heard[1]).all(|(a, b)| a.left == b.left && a.right == b.right);
                    assert!(same, "{}: {path}{} with {others:?}", kind.id, param.id);
                    tried += 1;
                }
            }
        }
    }
    assert!(tried >= 60, "{tried}");
}
