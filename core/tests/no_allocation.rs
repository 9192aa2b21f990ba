//! While sound runs nothing is allocated and nothing is freed: not by any unit at any settings,
//! not by a number of the song, not by the player while one mix gives way to another.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use allocation_counter::measure;
use common::page::Page;
use common::units::{any_unit, unit};
use proptest::prelude::*;
use serde_json::json;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::session::{AudioRef, AuxSend, Edit, Family, Role, Session};
use zinc_core::signal::StereoBlock;
use zinc_core::signal::noise::white;

const RATE: f64 = 48_000.0;

fn assert_none(what: &str, work: impl FnOnce()) {
    let seen = measure(work);
    // What was allocated and given back counts, and so does what is only given back.
    assert_eq!((seen.count_total, seen.count_current), (0, 0), "{what}");
}

fn noise(n: usize) -> StereoBlock {
    let left = std::array::from_fn(|i| 0.5 * white(n * 128 + i) as f32);
    StereoBlock { left, right: left.map(|x| -0.5 * x) }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 48, ..ProptestConfig::default() })]

    #[test]
    fn no_unit_allocates_or_frees_while_it_works_or_glides(from in any_unit()) {
        let mut rack = Rack::new(&RackSpec { units: vec![from.clone()] }, RATE);
        let mut block = noise(0);
        assert_none("from rest", || (0..100).for_each(|_| rack.process(&mut block)));
        let mut moved = from.clone();
        moved.common.switch("on", !from.is_on());
        let _ = moved.set("bands[0].dynamic.on", &true.into());
        let next = RackSpec { units: vec![moved.clone()] };
        if rack.fits(&next) {
            rack.update(&next);
            let mut block = noise(1);
            assert_none("on its way", || (0..100).for_each(|_| rack.process(&mut block)));
            let _ = moved.set("bands[0].dynamic.on", &false.into());
            rack.update(&RackSpec { units: vec![moved] });
            let mut block = noise(2);
            assert_none("on its way back", || (0..100).for_each(|_| rack.process(&mut block)));
        }
    }
}

#[test]
fn numbers_of_the_song_are_taken_without_allocating() {
    let dynamic = json!({"threshold_db": -40, "ratio": 4});
    let bands = json!([{"freq_hz": 700, "gain_db": -4}, {"freq_hz": 90, "gain_db": 3, "dynamic": dynamic}]);
    for (kind, params, path) in [
        ("compressor", json!({"key_low_cut_hz": 100}), "threshold_db"),
        ("compressor", json!({}), "key_low_cut_hz"),
        ("width", json!({}), "width"),
        ("surgical-eq", json!({"bands": bands, "auto_level": true}), "bands[0].freq_hz"),
        ("surgical-eq", json!({"bands": bands}), "bands[1].gain_db"),
        ("surgical-eq", json!({"bands": bands}), "amount"),
        ("surgical-eq", json!({"bands": bands, "phase": "linear"}), "bands[0].gain_db"),
        ("drawn-eq", json!({"points": [{"freq_hz": 500, "gain_db": 4}], "auto_level": true}), "points[0].gain_db"),
        ("drawn-eq", json!({"points": [{"freq_hz": 500, "gain_db": 4}], "contour": 0.2}), "strength"),
    ] {
        let spec = unit(kind, &params);
        let at = spec.kind.tables.find(path).expect("a parameter");
        let mut running = (spec.kind.build)(&spec.settings, RATE);
        running.snap();
        let mut block = noise(0);
        assert_none(&format!("{kind} {path}"), || {
            for n in 0..60 {
                running.settings_mut().put_number_at(at, 0.5 + 0.02 * f64::from(n));
                running.take_settings();
                running.arrive(128.0 / RATE);
                running.process(&mut block, None);
            }
        });
    }
}

fn tone(_: u32, frame: usize) -> f32 {
    0.25 * (0.05 * frame as f32).sin()
}

#[test]
fn the_player_neither_allocates_nor_frees_while_one_mix_gives_way_to_another() {
    let mut s = Session::new("still", 48_000);
    let bus = s.add_strip("Bus", Family::Gt, Role::Bus, 1);
    let room = s.add_strip("Room", Family::Fx, Role::Return, 1);
    let audio = AudioRef { hash: "x".into(), channels: 1, frames: 480_000, start: 0, stamp: None };
    let track = s.add_strip("Track", Family::Gt, Role::Track(audio), bus);
    s.add_unit(track, unit("surgical-eq", &json!({"bands": [{"gain_db": 3}]})));
    let mut page = Page::open(s, track, tone);
    page.player.play();
    let mut block = StereoBlock::SILENT;
    for edit in [
        Edit::AddUnit { strip: track, at: 0, unit: serde_json::from_value(json!({"kind": "drawn-eq"})).unwrap() },
        Edit::SetSends { strip: track, sends: vec![AuxSend { to: room, level_db: -6.0, before_fader: false }] },
        Edit::AddUnit {
            strip: bus,
            at: 0,
            unit: serde_json::from_value(json!({"kind": "compressor", "params": {"lookahead_ms": 5}})).unwrap(),
        },
        Edit::SetControl { strip: track, control: "delay_ms".into(), value: 3.into() },
    ] {
        page.edit(&edit);
        // Long enough for the new mix to settle, to be faded in, and for the old one to go.
        assert_none("while it plays", || (0..500).for_each(|_| page.player.process(&mut block)));
        page.player.catch_up();
    }
    page.player.seek(200_000);
    assert_none("through a jump", || (0..50).for_each(|_| page.player.process(&mut block)));
    page.player.stop();
    assert_none("to a stop", || (0..50).for_each(|_| page.player.process(&mut block)));
}
