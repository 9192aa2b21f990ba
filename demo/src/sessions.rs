//! The two sessions of the demo: as recorded, and worked.

use serde_json::{Value as Json, json};
use zinc_core::rack::UnitSpec;
use zinc_core::session::{AudioRef, Edit, Family, Part, Role, Section, Send, Session};

use crate::song::{BARS, FRAMES, PARTS, RATE, TEMPO_BPM};
use crate::stems::{ACOUSTIC_RING_HZ, SNARE_RING_HZ, STEMS, VIOLIN_ROOM_HZ};

/// Name of the song.
pub const SONG: &str = "Copper Bell, Slow Tide";

/// The session with nothing on any rack. `audio` holds one payload per stem.
#[must_use]
pub fn as_recorded(audio: &[AudioRef]) -> Session {
    let mut session = Session::new(&format!("{SONG} \u{b7} as recorded"), RATE);
    session.tempo_bpm = TEMPO_BPM;
    let bar_frames = FRAMES as u64 / BARS as u64;
    for (i, (_, name, bar)) in PARTS.iter().enumerate() {
        let end = PARTS.get(i + 1).map_or(BARS, |p| p.2) as u64;
        let id = session.take_id();
        session.sections.push(Section {
            id,
            name: (*name).to_string(),
            start: *bar as u64 * bar_frames,
            end: end * bar_frames,
        });
    }
    let buses: Vec<(Family, u32)> = [
        (Family::Dr, "Drums"),
        (Family::Bs, "Bass"),
        (Family::Gt, "Guitars"),
        (Family::Ky, "Keys"),
        (Family::Or, "Strings"),
    ]
    .map(|(family, name)| (family, session.add_strip(name, family, Role::Bus, 1)))
    .to_vec();
    for (stem, audio) in STEMS.iter().zip(audio) {
        let feeds = buses.iter().find(|(f, _)| *f == stem.family).map_or(1, |(_, id)| *id);
        let id = session.add_strip(stem.name, stem.family, Role::Track(audio.clone()), feeds);
        set(&mut session, id, "level_db", json!(balance(stem.name).0));
        set(&mut session, id, "pan", json!(balance(stem.name).1));
        if let Some(strip) = session.strip_mut(id) {
            strip.part = Part::from_name(stem.name);
        }
    }
    in_signal_order(&mut session);
    session
}

/// Rows in signal order: tracks, then the buses they feed, returns, the main.
fn in_signal_order(session: &mut Session) {
    session.strips.sort_by_key(|s| match s.role {
        Role::Track(_) => 0,
        Role::Bus => 1,
        Role::Return => 2,
        Role::Main => 3,
    });
}

/// Level in dB and pan of a track, a rough balance.
fn balance(name: &str) -> (f64, f64) {
    match name {
        "Kick" => (-5.0, 0.0),
        "Snare" => (-8.0, 0.0),
        "Overheads" => (-12.0, 0.0),
        "Bass DI" => (-7.0, 0.0),
        "Bass cabinet" => (-12.0, 0.0),
        "Rhythm left DI" => (-11.0, -1.0),
        "Rhythm right DI" => (-11.0, 1.0),
        "Acoustic" => (-12.0, -0.2),
        "Lead DI" => (-8.0, 0.1),
        "Electric piano" => (-10.5, 0.0),
        "Organ" => (-13.0, 0.5),
        "Cellos" => (-11.0, -0.55),
        "Violins" => (-12.0, 0.55),
        _ => (-8.0, 0.0),
    }
}

/// A narrow band of what was there, off until a section asks for it.
fn telephone(why: &str) -> Json {
    let bands = json!([high_pass(420.0, 24), bell(1500.0, 4.0, 1.2), low_pass(2800.0, 24)]);
    let mut unit = eq(why, bands);
    unit["on"] = json!(false);
    unit["trim_db"] = json!(3.0);
    unit
}

/// The session with every track treated.
#[must_use]
pub fn worked(audio: &[AudioRef]) -> Session {
    let mut session = as_recorded(audio);
    session.name = format!("{SONG} \u{b7} worked");
    route(&mut session);
    for (name, note, units) in treatments() {
        let Some(id) = session.strips.iter().find(|s| s.name == name).map(|s| s.id) else { continue };
        for mut unit in units {
            // A key is written by name above and known by identity in the document.
            if let Some(key) = unit["key"].as_str().map(|name| named(&session, name)) {
                unit["key"] = json!({ "strip": key, "tap": "after-rack" });
            }
            // So is what it follows: the first unit of the strip named.
            let followed = unit["follows"]["unit"].as_str().and_then(|name| first_eq(&session, name)).cloned();
            if let Some(followed) = &followed {
                unit["follows"]["unit"] = json!(followed.id);
            }
            if let Ok(mut unit) = UnitSpec::from_json(&unit, 1) {
                if let (Some(link), Some(followed)) = (&unit.follows, &followed) {
                    unit.settings = link.of(&followed.settings);
                }
                session.add_unit(id, unit);
            }
        }
        if let Some(strip) = session.strip_mut(id) {
            strip.note = note.to_string();
        }
    }
    change_with_the_song(&mut session);
    session.supply();
    session
}

/// Values of single sections: short notes want another release than held ones, and the Break is heard
/// as through a telephone.
fn change_with_the_song(session: &mut Session) {
    for (strip, kind, last, param, sections, value) in [
        ("Rhythm left DI", "compressor", false, "release_ms", &["Verse"][..], json!(60.0)),
        ("Rhythm left DI", "compressor", false, "release_ms", &["Chorus", "Last chorus"], json!(260.0)),
        ("Rhythm right DI", "compressor", false, "release_ms", &["Verse"], json!(60.0)),
        ("Rhythm right DI", "compressor", false, "release_ms", &["Chorus", "Last chorus"], json!(260.0)),
        ("Electric piano", "surgical-eq", true, "on", &["Break"], json!(true)),
    ] {
        let strip = named(session, strip);
        let mut units = session.strip(strip).map_or(&[][..], |s| &s.rack.units).iter().filter(|u| u.kind.id == kind);
        let unit = if last { units.next_back() } else { units.next() }.map_or(0, |u| u.id);
        for section in session.sections.clone().iter().filter(|s| sections.contains(&s.name.as_str())) {
            let value = Some(value.clone());
            let edit = Edit::SetHere { strip, unit, param: param.to_string(), section: section.id, value };
            let done = edit.apply(session);
            debug_assert!(done.is_ok(), "{done:?}");
        }
    }
}

/// The paths of the worked session beside its buses: three parallel returns, the bass
/// ducked by the kick, and both bass recordings as one.
fn route(session: &mut Session) {
    let guitars = named(session, "Guitars");
    let (drums, bass) = (named(session, "Drums"), named(session, "Bass"));
    for (name, family, feeds, level_db) in [
        ("Drum body", Family::Dr, drums, -8.0),
        ("Attack", Family::Gt, guitars, -8.0),
        ("Bass dirt", Family::Bs, bass, -6.0),
    ] {
        let id = session.add_strip(name, family, Role::Return, feeds);
        set(session, id, "level_db", json!(level_db));
    }
    in_signal_order(session);
    for (from, to, level_db) in [
        ("Kick", "Drum body", -3.0),
        ("Snare", "Drum body", 0.0),
        ("Overheads", "Drum body", -9.0),
        ("Rhythm left DI", "Attack", 0.0),
        ("Rhythm right DI", "Attack", 0.0),
        ("Acoustic", "Attack", -6.0),
        ("Bass DI", "Bass dirt", 0.0),
    ] {
        let to = named(session, to);
        let from = named(session, from);
        if let Some(strip) = session.strip_mut(from) {
            strip.sends.push(Send { to, level_db, before_fader: false });
        }
    }
    // The cabinet is 0.9 ms late and upside down: the direct bass waits for it.
    let (direct, cabinet) = (named(session, "Bass DI"), named(session, "Bass cabinet"));
    set(session, direct, "delay_ms", json!(0.9));
    set(session, cabinet, "inverted", json!(true));
    for id in [direct, cabinet] {
        if let Some(strip) = session.strip_mut(id) {
            strip.take_set = 1;
        }
    }
}

/// Identity of the strip of this name; 0 where there is none.
fn named(session: &Session, name: &str) -> u32 {
    session.strips.iter().find(|s| s.name == name).map_or(0, |s| s.id)
}

/// The first surgical EQ of the strip of this name.
fn first_eq<'s>(session: &'s Session, name: &str) -> Option<&'s UnitSpec> {
    session.strip(named(session, name))?.rack.units.iter().find(|unit| unit.kind.id == "surgical-eq")
}

fn set(session: &mut Session, strip: u32, control: &str, value: Json) {
    if let Some(strip) = session.strip_mut(strip) {
        // The values above are within range; a test holds every demo document to that.
        let _ = strip.set_control(control, &value);
    }
}

fn eq(why: &str, bands: Json) -> Json {
    json!({ "kind": "surgical-eq", "why": why, "params": { "bands": bands } })
}

/// An equaliser that follows the first one of another strip, the gains of some bands turned over.
fn follows(why: &str, strip: &str, mirrored: &[usize]) -> Json {
    json!({ "kind": "surgical-eq", "why": why, "follows": { "unit": strip, "mirrored": mirrored } })
}

/// A band whose gain moves down by at most `range_db` from where it is set.
fn moving(mut band: Json, threshold_db: f64, range_db: f64) -> Json {
    band["dynamic"] = json!({
        "on": true, "threshold_db": threshold_db, "ratio": 3.0, "range_db": range_db, "attack_ms": 30.0, "release_ms": 250.0
    });
    band
}

fn comp(why: &str, params: Json) -> Json {
    json!({ "kind": "compressor", "why": why, "params": params })
}

fn unit(kind: &str, why: &str, params: Json) -> Json {
    json!({ "kind": kind, "why": why, "params": params })
}

/// The same with its level set by hand: what is played from anywhere is then what is printed.
fn at_level(mut unit: Json, trim_db: f64) -> Json {
    unit["params"]["hold_level"] = json!(false);
    unit["trim_db"] = json!(trim_db);
    unit
}

fn high_pass(hz: f64, slope: u32) -> Json {
    json!({ "shape": "high-pass", "freq_hz": hz, "slope_db_oct": slope })
}

fn low_pass(hz: f64, slope: u32) -> Json {
    json!({ "shape": "low-pass", "freq_hz": hz, "slope_db_oct": slope })
}

fn bell(hz: f64, gain_db: f64, q: f64) -> Json {
    json!({ "shape": "bell", "freq_hz": hz, "gain_db": gain_db, "q": q })
}

fn shelf(shape: &str, hz: f64, gain_db: f64) -> Json {
    json!({ "shape": shape, "freq_hz": hz, "gain_db": gain_db, "q": 0.7 })
}

/// What was noted on hearing each strip raw, and its rack.
fn treatments() -> Vec<(&'static str, &'static str, Vec<Json>)> {
    vec![
        (
            "Kick",
            "fights the bass around 58 Hz, click is fine",
            vec![
                eq(
                    "leave the bass its fundamentals",
                    json!([
                        high_pass(32.0, 24),
                        bell(58.0, -3.5, 1.6),
                        bell(280.0, -3.0, 1.2),
                        shelf("high-shelf", 4200.0, 2.5)
                    ]),
                ),
                comp(
                    "hold the loud hits",
                    json!({ "threshold_db": -14.0, "ratio": 3.0, "attack_ms": 18.0, "release_ms": 90.0, "knee_db": 4.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Snare",
            "a shell ring that never stops",
            vec![
                eq(
                    "take the ring, keep the crack",
                    json!([
                        high_pass(90.0, 12),
                        bell(SNARE_RING_HZ, -14.0, 22.0),
                        bell(187.0, 2.0, 1.4),
                        shelf("high-shelf", 6000.0, 2.0)
                    ]),
                ),
                comp(
                    "bring up the body",
                    json!({ "threshold_db": -15.0, "ratio": 4.0, "attack_ms": 12.0, "release_ms": 120.0, "makeup_db": 3.0 }),
                ),
                unit("transient", "the stick back in front of it", json!({ "attack_db": 2.5 })),
            ],
        ),
        (
            "Overheads",
            "cymbals good, too much drum in them",
            vec![
                eq(
                    "cymbals only",
                    json!([high_pass(240.0, 18), bell(3900.0, -2.0, 1.5), shelf("high-shelf", 11_000.0, 1.5)]),
                ),
                json!({ "kind": "width", "why": "the cymbals out to the sides, the drum in them where it is", "params": { "width": 1.2, "centre_below_hz": 120 } }),
            ],
        ),
        (
            "Bass DI",
            "very uneven, rumbles below everything",
            vec![
                eq(
                    "rumble out, keep the low E whole",
                    json!([high_pass(34.0, 48), bell(220.0, -2.5, 1.0), bell(900.0, 2.0, 0.9)]),
                ),
                comp(
                    "even out, note by note",
                    json!({ "detect": "rms", "rms_ms": 25.0, "threshold_db": -22.0, "ratio": 4.0, "attack_ms": 8.0, "release_ms": 180.0, "knee_db": 8.0, "makeup_db": 3.0 }),
                ),
                at_level(
                    unit(
                        "amp",
                        "a voice of its own above the low E, the clean one beside it",
                        json!({ "voice": "round", "input_db": 4.0, "drive_db": 18.0, "middle": 0.6, "blend": 0.4 }),
                    ),
                    -7.7,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "wood around it",
                        json!({ "size": "15", "box": "sealed", "a_distance_cm": 12.0, "a_offset": 0.3, "room": 0.0 }),
                    ),
                    6.6,
                ),
            ],
        ),
        (
            "Bass cabinet",
            "nasal; late and upside down against the DI",
            vec![
                eq("the nose out", json!([high_pass(60.0, 12), bell(820.0, -8.0, 1.6), low_pass(4200.0, 12)])),
                comp(
                    "hold it behind the DI",
                    json!({ "threshold_db": -19.0, "ratio": 3.0, "attack_ms": 15.0, "release_ms": 150.0, "makeup_db": 2.0 }),
                ),
            ],
        ),
        (
            "Rhythm left DI",
            "palm mutes pile up low down",
            vec![
                at_level(
                    unit(
                        "amp",
                        "chords that hold together, picks that do not jump out",
                        json!({ "voice": "crunch", "input_db": 6.0, "drive_db": 26.0, "bass": 0.4, "middle": 0.6, "treble": 0.55 }),
                    ),
                    -18.8,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "a little off the dome",
                        json!({ "box": "open", "a_offset": 0.3, "a_distance_cm": 5.0 }),
                    ),
                    8.5,
                ),
                eq(
                    "room for the bass, less build-up",
                    json!([
                        high_pass(95.0, 24),
                        bell(165.0, -5.0, 1.8),
                        bell(2600.0, 2.5, 1.1),
                        bell(1500.0, -2.0, 1.2)
                    ]),
                ),
                comp(
                    "hold the mutes",
                    json!({ "threshold_db": -16.0, "ratio": 3.0, "attack_ms": 20.0, "release_ms": 110.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Rhythm right DI",
            "competes with the left in the upper mids",
            vec![
                at_level(
                    unit(
                        "amp",
                        "another amp than the left, cleaner and browner",
                        json!({ "voice": "early", "input_db": 8.0, "drive_db": 34.0, "bass": 0.45, "middle": 0.5, "treble": 0.5 }),
                    ),
                    -20.3,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "two cones and a ribbon, darker than the left",
                        json!({ "cones": "2", "box": "sealed", "a_type": "ribbon", "a_offset": 0.15, "a_distance_cm": 10.0 }),
                    ),
                    3.4,
                ),
                follows("the opposite of its partner where they compete", "Rhythm left DI", &[2, 3]),
                comp(
                    "hold the mutes",
                    json!({ "threshold_db": -16.0, "ratio": 3.0, "attack_ms": 20.0, "release_ms": 110.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Acoustic",
            "boomy on the hard strums, something sings just above A4",
            vec![
                eq(
                    "clear the ring, keep the wood",
                    json!([
                        high_pass(74.0, 24),
                        bell(108.0, -4.0, 1.5),
                        bell(196.0, -4.0, 1.3),
                        bell(ACOUSTIC_RING_HZ, -15.0, 32.0),
                        shelf("high-shelf", 9500.0, 2.0)
                    ]),
                ),
                comp(
                    "hold the boomy strums",
                    json!({ "threshold_db": -15.0, "ratio": 3.0, "attack_ms": 25.0, "release_ms": 140.0, "knee_db": 6.0, "key_low_cut_hz": 70.0, "makeup_db": 1.5 }),
                ),
                json!({ "kind": "width", "why": "wider strings, steady lows", "params": { "width": 1.3, "centre_below_hz": 180 } }),
                at_level(
                    unit("tape", "rounds the picks without dulling them", json!({ "speed": "30", "input_db": 9.0 })),
                    0.8,
                ),
            ],
        ),
        (
            "Lead DI",
            "dull",
            vec![
                at_level(
                    unit(
                        "amp",
                        "sustain and a voice; what was dull before it is full after it",
                        json!({ "voice": "lead", "input_db": 8.0, "drive_db": 24.0, "middle": 0.7, "treble": 0.7, "presence": 0.5 }),
                    ),
                    -17.6,
                ),
                at_level(
                    unit(
                        "cabinet",
                        "on the dome for bite, a ribbon further back for body",
                        json!({ "cones": "4", "box": "sealed", "a_offset": 0.1, "a_distance_cm": 3.0, "b_on": true, "blend": 0.35, "room": 0.25 }),
                    ),
                    13.4,
                ),
                eq(
                    "bring it forward, after the amp where lifts stay clean",
                    json!([
                        high_pass(120.0, 12),
                        bell(420.0, -2.0, 1.2),
                        bell(2300.0, 2.5, 0.9),
                        shelf("high-shelf", 4000.0, 3.0)
                    ]),
                ),
                comp(
                    "steady the line, softly",
                    json!({ "action": "vari-mu", "threshold_db": -24.0, "ratio": 4.0, "attack_ms": 2.0, "release_ms": 150.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Electric piano",
            "boxy, sits where everything sits",
            vec![
                eq("open the box", json!([high_pass(90.0, 12), bell(410.0, -4.5, 1.1), bell(2200.0, 2.0, 1.0)])),
                comp(
                    "soften the bark",
                    json!({ "threshold_db": -24.0, "ratio": 2.0, "attack_ms": 15.0, "release_ms": 160.0, "makeup_db": 2.0 }),
                ),
                at_level(
                    unit(
                        "saturator",
                        "an octave above the tines, lows left alone",
                        json!({ "character": "tape", "drive_db": 0.0, "blend": 0.0,
                        "bands": [{ "from_hz": 180.0, "character": "tube", "drive_db": 15.0, "bias": 0.2, "blend": 0.8 }] }),
                    ),
                    0.0,
                ),
                telephone("in the Break alone: a telephone down the corridor"),
            ],
        ),
        (
            "Organ",
            "hums and blows when nobody plays",
            vec![
                eq(
                    "under the keys there is only leakage",
                    json!([high_pass(150.0, 36), bell(240.0, -3.0, 0.9), low_pass(9000.0, 12)]),
                ),
                at_level(
                    unit("saturator", "a growl when chords are held", json!({ "character": "tube", "drive_db": 18.0 })),
                    0.0,
                ),
            ],
        ),
        (
            "Cellos",
            "two plucks jump out",
            vec![
                eq(
                    "lighter below, rosin above",
                    json!([high_pass(58.0, 18), bell(230.0, -2.0, 1.2), bell(1800.0, 2.5, 1.0)]),
                ),
                unit(
                    "multiband",
                    "catch the two plucks where they jump out, leave the bow alone",
                    json!({ "bands": [
                        { "from_hz": 157.0, "threshold_db": -23.0, "ratio": 50.0, "knee_db": 0.0, "attack_ms": 0.5, "release_ms": 120.0 },
                        { "from_hz": 316.0 }
                    ] }),
                ),
            ],
        ),
        (
            "Violins",
            "a room note just under C#6, hard on top",
            vec![
                eq(
                    "out with the room note",
                    json!([high_pass(190.0, 18), bell(VIOLIN_ROOM_HZ, -13.0, 26.0), shelf("high-shelf", 5200.0, -4.0)]),
                ),
                comp(
                    "a slow hand",
                    json!({ "detect": "rms", "threshold_db": -24.0, "ratio": 2.0, "attack_ms": 60.0, "release_ms": 400.0, "knee_db": 10.0, "makeup_db": 1.5 }),
                ),
            ],
        ),
        (
            "Voice",
            "comes close in the verse, swells below",
            vec![
                eq(
                    "steady the distance: the lows step back only when they swell",
                    json!([
                        high_pass(95.0, 18),
                        moving(shelf("low-shelf", 250.0, 0.0), -26.0, 7.0),
                        bell(3100.0, 2.0, 1.0),
                        shelf("high-shelf", 9000.0, 3.0)
                    ]),
                ),
                unit(
                    "gate",
                    "breath and hiss between the phrases a step further back",
                    json!({ "threshold_db": -46.0, "range_db": 8.0, "attack_ms": 1.0, "hold_ms": 200.0, "release_ms": 300.0, "lookahead_ms": 2.0 }),
                ),
                comp(
                    "ride the phrases",
                    json!({ "action": "opto", "threshold_db": -20.0, "ratio": 3.0, "makeup_db": 4.0 }),
                ),
            ],
        ),
        (
            "Drums",
            "",
            vec![
                comp(
                    "one kit; the kick does not pull the cymbals down",
                    json!({ "action": "vca", "threshold_db": -32.0, "ratio": 2.0, "attack_ms": 30.0, "release_ms": 110.0, "makeup_db": 1.0, "key_low_cut_hz": 150.0 }),
                ),
                unit(
                    "console-eq",
                    "weight and shine in two broad moves, some iron",
                    json!({ "input_db": 6.0, "colour": 0.2, "low_hz": "65", "low_db": 2.0, "high_hz": "9800", "high_db": 2.0 }),
                ),
            ],
        ),
        (
            "Bass",
            "",
            vec![
                eq("share the bottom with the kick", json!([bell(58.0, 1.5, 1.4), bell(150.0, -1.5, 1.0)])),
                comp(
                    "both tracks as one",
                    json!({ "threshold_db": -18.0, "ratio": 2.5, "attack_ms": 25.0, "release_ms": 160.0, "makeup_db": 1.0 }),
                ),
                json!({
                    "kind": "compressor", "why": "a step back at every kick, about 3 dB", "key": "Kick",
                    "params": { "threshold_db": -24.0, "ratio": 1.4, "attack_ms": 2.0, "release_ms": 80.0, "knee_db": 6.0 }
                }),
            ],
        ),
        (
            "Drum body",
            "",
            vec![comp(
                "what the kit does between the strokes",
                json!({ "action": "fet", "threshold_db": -34.0, "ratio": 8.0, "attack_ms": 0.5, "release_ms": 250.0, "knee_db": 6.0, "makeup_db": 6.0 }),
            )],
        ),
        (
            "Attack",
            "",
            vec![
                eq("picks only, no body", json!([high_pass(400.0, 24), bell(3200.0, 3.0, 0.8)])),
                comp(
                    "let the pick through, hold the rest",
                    json!({ "threshold_db": -30.0, "ratio": 6.0, "attack_ms": 30.0, "release_ms": 60.0, "knee_db": 0.0, "key_low_cut_hz": 300.0 }),
                ),
            ],
        ),
        (
            "Guitars",
            "",
            vec![
                eq("room for the voice", json!([bell(3000.0, -1.5, 0.8)])),
                comp(
                    "lean together",
                    json!({ "threshold_db": -26.0, "ratio": 1.5, "attack_ms": 30.0, "release_ms": 150.0 }),
                ),
            ],
        ),
        ("Keys", "", vec![eq("out of the low mids", json!([bell(300.0, -1.5, 0.8)]))]),
        (
            "Strings",
            "",
            vec![
                eq("beside the keys, not on them", json!([bell(350.0, -1.5, 0.8)])),
                unit(
                    "passive-eq",
                    "air that does not turn hard",
                    json!({ "high_hz": "12500", "high_boost_db": 4.0, "high_width": 0.8 }),
                ),
            ],
        ),
        (
            "Bass dirt",
            "",
            vec![
                at_level(
                    unit(
                        "saturator",
                        "felt, not heard; the lows stay clean beside it",
                        json!({ "character": "diode", "drive_db": 24.0, "bias": 0.3 }),
                    ),
                    0.9,
                ),
                eq("only what a small speaker plays", json!([high_pass(190.0, 12), low_pass(4500.0, 12)])),
            ],
        ),
        (
            "Main",
            "",
            vec![
                comp(
                    "a last half decibel of hold",
                    json!({ "threshold_db": -12.0, "ratio": 1.5, "attack_ms": 40.0, "release_ms": 200.0, "knee_db": 12.0 }),
                ),
                unit("limiter", "as loud as a record, no peak above", json!({ "ceiling_db": -1.5, "input_db": 6.5 })),
            ],
        ),
    ]
}

#[cfg(test)]
mod tests {
    use super::*;

    fn audio() -> Vec<AudioRef> {
        STEMS.iter().map(|s| AudioRef { hash: s.name.into(), channels: 1, frames: FRAMES as u64, start: 0 }).collect()
    }

    #[test]
    fn every_strip_of_the_worked_session_is_treated_and_every_treatment_is_valid() {
        let session = worked(&audio());
        for (name, _, units) in treatments() {
            let strip = session.strips.iter().find(|s| s.name == name);
            assert_eq!(strip.map(|s| s.rack.units.len()), Some(units.len()), "{name}");
        }
        assert_eq!(session.strips.len(), 14 + 5 + 3 + 1);
        assert!(session.strips.iter().map(|s| s.rack.units.len()).sum::<usize>() >= 40);
        assert!(zinc_core::session::routing::order(&session).is_ok());
        assert!(session.strips.iter().flat_map(|s| &s.sends).all(|s| session.strip(s.to).is_some()));
        assert_eq!(session.strips.iter().flat_map(|s| &s.rack.units).filter(|u| u.key.is_some()).count(), 1);
    }

    #[test]
    fn the_right_rhythm_guitar_follows_the_left_mirrored_where_they_compete() {
        let session = worked(&audio());
        let eq = |name: &str| first_eq(&session, name).cloned().unwrap_or_else(|| panic!("no EQ on {name}"));
        let (left, right) = (eq("Rhythm left DI"), eq("Rhythm right DI"));
        let link = right.follows.clone().unwrap_or_else(|| panic!("no link"));
        assert_eq!(link.unit, left.id);
        let gains =
            |unit: &UnitSpec| unit.settings.rows().iter().map(|band| band.number("gain_db")).collect::<Vec<_>>();
        assert_eq!(gains(&left)[1..], [-5.0, 2.5, -2.0]);
        assert_eq!(gains(&right)[1..], [-5.0, -2.5, 2.0]);
    }

    #[test]
    fn both_sessions_are_whole_documents_with_all_faders_set() {
        for session in [as_recorded(&audio()), worked(&audio())] {
            assert!(session.tracks().all(|t| t.controls.number("level_db") < 0.0));
            assert!(Session::from_json(&session.to_json()).is_ok_and(|read| read == session));
            assert_eq!(session.sections.last().map(|s| s.end), Some(session.frames()));
        }
    }
}
