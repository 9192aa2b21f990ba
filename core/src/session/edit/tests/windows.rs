//! Two windows and a server, each with its own copy of one session.

use proptest::prelude::*;
use proptest::strategy::ValueTree;
use serde_json::json;

use super::drawn::{Drawn, any_drawn, any_value, full_session};
use crate::session::edit::change::{Edit, Touch};
use crate::session::edit::meet::Meeting;
use crate::session::window::{Kept, WindowSession};
use crate::session::{Family, Role, Section, Session};

/// A server: the session, and every edit as applied with who asked for it and what that one calls it.
struct Server {
    session: Session,
    log: Vec<(usize, u32, Edit)>,
}

/// A window: what it holds, how far it has followed the log, what it has asked for, and what it shows as a page would,
/// put together from the parts it is told of.
struct Window {
    held: WindowSession,
    version: usize,
    queue: Vec<u32>,
    page: serde_json::Value,
    numbers: u32,
}

impl Server {
    /// What a window has missed.
    fn since(&self, window: usize, version: usize) -> Vec<Kept> {
        let kept = |(who, number, edit): &(usize, u32, Edit)| Kept {
            edit: edit.clone(),
            number: (*who == window).then_some(*number),
        };
        self.log[version..].iter().map(kept).collect()
    }

    /// Keeps an edit, unless it collides with what its window has missed or is refused.
    fn keep(&mut self, window: usize, version: usize, number: u32, edit: &Edit) -> bool {
        let foreign = self.log[version..].iter().filter(|(who, ..)| *who != window);
        if foreign.map(|(.., known)| edit.meets(known)).any(|met| met == Meeting::Collides) {
            return false;
        }
        match edit.apply(&mut self.session) {
            Ok((applied, _)) => self.log.push((window, number, applied)),
            Err(_) => return false,
        }
        true
    }
}

impl Window {
    fn new(session: &Session) -> Self {
        let held = WindowSession::new(session.clone());
        Self { held, version: 0, queue: Vec::new(), page: session.to_json(), numbers: 0 }
    }

    fn make(&mut self, edit: Edit) -> bool {
        self.numbers += 1;
        let parts = self.held.wait(self.numbers, edit.clone()).unwrap_or_default();
        self.queue.push(self.numbers);
        self.draw(&parts);
        !parts.is_empty()
    }

    /// Puts the parts that are other than before into the page.
    fn draw(&mut self, parts: &[Touch]) {
        for part in parts {
            let json = self.held.part(*part);
            if let Some(session) = json.get("session") {
                self.page = session.clone();
            } else if let Some(frame) = json.get("frame") {
                let Some(fields) = frame.as_object() else { unreachable!("a frame is an object") };
                fields.iter().for_each(|(name, value)| self.page[name] = value.clone());
            } else if let Some(notebook) = json.get("notebook") {
                self.page["notebook"] = notebook.clone();
            } else if let Some(unit) = json.get("unit") {
                let strips = self.page["strips"].as_array_mut().unwrap();
                let strip = strips.iter_mut().find(|s| s["id"] == json["strip"]).unwrap();
                let units = strip["rack"]["units"].as_array_mut().unwrap();
                *units.iter_mut().find(|u| u["id"] == unit["id"]).unwrap() = unit.clone();
            } else if let Some(strip) = json.get("strip") {
                let strips = self.page["strips"].as_array_mut().unwrap();
                *strips.iter_mut().find(|s| s["id"] == strip["id"]).unwrap() = strip.clone();
            }
        }
    }

    fn follow(&mut self, server: &Server, own: usize) -> usize {
        let news = self.held.follow(&server.since(own, self.version)).unwrap();
        self.version = server.log.len();
        self.draw(&news.parts);
        news.told.iter().filter(|told| !told.was_shown).count()
    }

    /// Sends what waits first; returns whether it was kept.
    fn send(&mut self, server: &mut Server, own: usize) -> Option<bool> {
        if self.queue.is_empty() {
            return None;
        }
        let number = self.queue.remove(0);
        let edit = self.held.edit(number).unwrap().clone();
        if server.keep(own, self.version, number, &edit) {
            self.follow(server, own);
            return Some(true);
        }
        let parts = self.held.refuse(number);
        self.draw(&parts);
        self.follow(server, own);
        Some(false)
    }

    /// What is kept with what waits over it is what is shown, here and on the page.
    fn is_sound(&self, server: &Server) -> Result<(), TestCaseError> {
        let mut want = Server { session: full_session(), log: Vec::new() }.session;
        for (.., edit) in &server.log[..self.version] {
            edit.apply(&mut want).unwrap();
        }
        for edit in self.queue.iter().map(|number| self.held.edit(*number).unwrap()) {
            if edit.facts().at_once {
                let _ = edit.apply(&mut want);
            }
        }
        let mut shown = self.held.shown().to_json();
        let mut want = want.to_json();
        let mut page = self.page.clone();
        for json in [&mut shown, &mut want, &mut page] {
            json["next_id"] = json!(0);
        }
        prop_assert_eq!(&shown, &want);
        prop_assert_eq!(&page, &want);
        Ok(())
    }
}

/// What happens next: a window makes an edit, sends, or looks around.
#[derive(Clone, Debug)]
enum Step {
    Make(usize, Drawn),
    Send(usize),
    Look(usize),
}

fn any_step() -> impl Strategy<Value = Step> {
    let window = 0..2usize;
    prop_oneof![
        4 => (window.clone(), prop_oneof![any_drawn(), any_value()]).prop_map(|(window, edit)| Step::Make(window, edit)),
        4 => window.clone().prop_map(Step::Send),
        1 => window.prop_map(Step::Look),
    ]
}

/// How often something happened that the test is about.
#[derive(Default)]
struct Happened {
    shown: usize,
    kept: usize,
    refused: usize,
    foreign_over_waiting: usize,
}

fn run(steps: &[Step], happened: &mut Happened) -> Result<(), TestCaseError> {
    let session = full_session();
    let mut server = Server { session: session.clone(), log: Vec::new() };
    let mut windows = [Window::new(&session), Window::new(&session)];
    for step in steps {
        match step {
            Step::Make(own, drawn) => {
                let edit = drawn.of(windows[*own].held.shown());
                happened.shown += usize::from(windows[*own].make(edit));
            }
            Step::Send(own) => match windows[*own].send(&mut server, *own) {
                Some(true) => happened.kept += 1,
                Some(false) => happened.refused += 1,
                None => {}
            },
            Step::Look(own) => {
                let window = &mut windows[*own];
                let told = window.follow(&server, *own);
                happened.foreign_over_waiting += usize::from(told > 0 && window.held.waiting().next().is_some());
            }
        }
        for window in &windows {
            window.is_sound(&server)?;
        }
    }
    for (own, window) in windows.iter_mut().enumerate() {
        while window.send(&mut server, own).is_some() {}
    }
    for (own, window) in windows.iter_mut().enumerate() {
        window.follow(&server, own);
        window.is_sound(&server)?;
        prop_assert_eq!(&window.held.shown().strips, &server.session.strips);
        prop_assert_eq!(window.held.shown().next_id, server.session.next_id);
    }
    Ok(())
}

proptest! {
    // Each is a whole day's work of two windows, looked at after every step.
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases / 4, ..ProptestConfig::default() })]
    #[test]
    fn whatever_two_windows_do_each_shows_what_is_kept_and_what_it_waits_for_and_both_end_alike(
        steps in prop::collection::vec(any_step(), 1..60),
    ) {
        run(&steps, &mut Happened::default())?;
    }
}

/// A test whose generator never makes the case proves nothing.
#[test]
fn two_windows_do_get_into_each_others_way() {
    let mut runner = proptest::test_runner::TestRunner::deterministic();
    let mut happened = Happened::default();
    for _ in 0..40 {
        let steps = prop::collection::vec(any_step(), 60).new_tree(&mut runner).unwrap().current();
        run(&steps, &mut happened).unwrap();
    }
    let Happened { shown, kept, refused, foreign_over_waiting } = happened;
    assert!(
        shown > 100 && kept > 100 && refused > 50 && foreign_over_waiting > 20,
        "{shown} {kept} {refused} {foreign_over_waiting}"
    );
}

#[test]
fn a_drag_waits_once_and_another_value_waits_by_itself() {
    let mut held = WindowSession::new(full_session());
    let level = |value: f64| Edit::SetControl { strip: 4, control: "level_db".into(), value: value.into() };
    let pan = Edit::SetControl { strip: 4, control: "pan".into(), value: 0.5.into() };
    held.wait(1, level(-1.0)).unwrap();
    assert_eq!(held.wait_instead(1, &level(-2.0)).unwrap().unwrap(), [Touch::Strip(4)]);
    assert!(held.wait_instead(1, &pan).is_none());
    held.wait(2, pan).unwrap();
    assert!(held.wait_instead(1, &level(-3.0)).is_none(), "something waits behind it");
    assert_eq!(held.waiting().collect::<Vec<_>>(), [1, 2]);
    assert_eq!(held.shown().strip(4).unwrap().controls.number("level_db"), -2.0);
}

#[test]
fn what_another_window_set_meanwhile_stays_under_what_waits_and_shows_once_that_is_refused() {
    let mut held = WindowSession::new(full_session());
    let level = |value: f64| Edit::SetControl { strip: 4, control: "level_db".into(), value: value.into() };
    held.wait(1, level(-1.0)).unwrap();
    let news = held.follow(&[Kept { edit: level(-9.0), number: None }]).unwrap();
    assert_eq!((news.parts, news.told[0].was_shown), (vec![], false));
    assert_eq!(held.shown().strip(4).unwrap().controls.number("level_db"), -1.0);
    assert_eq!(held.refuse(1), [Touch::Strip(4)]);
    assert_eq!(held.shown().strip(4).unwrap().controls.number("level_db"), -9.0);
}

/// The level of strip 4 drawn through points, each a frame and a value.
fn drawn(points: &[(u64, f64)]) -> Edit {
    let all: Vec<_> = points.iter().map(|(at, value)| json!({"at": at, "value": value})).collect();
    let points = serde_json::from_value(json!(all)).unwrap();
    Edit::SetLane { strip: 4, unit: 0, param: "level_db".into(), points, over: None }
}

fn frames(session: &Session) -> Vec<u64> {
    session.strip(4).unwrap().courses.list.iter().flat_map(|course| course.points.iter().map(|p| p.at)).collect()
}

/// Two windows on a session with a lane, its points on their beats.
fn over_a_lane() -> (Server, [Window; 2]) {
    let mut session = full_session();
    Edit::SetPointsOn { beats: true }.apply(&mut session).unwrap();
    Edit::SetTempo { tempo_bpm: 120.0, beats_per_bar: 4 }.apply(&mut session).unwrap();
    drawn(&[(24_000, -3.0), (96_000, -1.0)]).apply(&mut session).unwrap();
    let windows = [Window::new(&session), Window::new(&session)];
    (Server { session, log: Vec::new() }, windows)
}

#[test]
fn points_that_two_windows_draw_into_one_lane_at_once_all_stay() {
    let (mut server, mut windows) = over_a_lane();
    windows[0].make(drawn(&[(24_000, -3.0), (48_000, -6.0), (96_000, -1.0)]));
    // A drag that is not sent yet: its last place counts.
    windows[1].make(drawn(&[(24_000, -3.0), (70_000, -9.0), (96_000, -1.0)]));
    let moved = drawn(&[(24_000, -3.0), (72_000, -9.0), (96_000, -1.0)]);
    windows[1].held.wait_instead(1, &moved).unwrap().unwrap();
    assert_eq!(frames(windows[1].held.shown()), [24_000, 72_000, 96_000]);
    for own in [0, 1] {
        assert_eq!(windows[own].send(&mut server, own), Some(true));
    }
    windows[0].follow(&server, 0);
    for session in [&server.session, windows[0].held.shown(), windows[1].held.shown()] {
        assert_eq!(frames(session), [24_000, 48_000, 72_000, 96_000]);
    }
}

#[test]
fn points_drawn_before_another_tempo_was_known_come_to_the_beats_they_were_meant_for() {
    let (mut server, mut windows) = over_a_lane();
    windows[0].make(Edit::SetTempo { tempo_bpm: 60.0, beats_per_bar: 4 });
    // On the third beat at 120 a minute.
    windows[1].make(drawn(&[(24_000, -3.0), (48_000, -6.0), (96_000, -1.0)]));
    for own in [0, 1] {
        assert_eq!(windows[own].send(&mut server, own), Some(true));
    }
    for session in [&server.session, windows[1].held.shown()] {
        assert_eq!(frames(session), [48_000, 96_000, 192_000], "at 60 a minute");
    }
    // Where points stay on their times, so does what is drawn.
    Edit::SetPointsOn { beats: false }.apply(&mut server.session).unwrap();
    let mut window = WindowSession::new(server.session.clone());
    window.wait(1, drawn(&[(48_000, -2.0)])).unwrap();
    let edit = window.edit(1).unwrap().clone();
    Edit::SetTempo { tempo_bpm: 90.0, beats_per_bar: 4 }.apply(&mut server.session).unwrap();
    edit.apply(&mut server.session).unwrap();
    assert_eq!(frames(&server.session), [48_000]);
}

fn fresh(strip: u32, kind: &str) -> Edit {
    let unit = serde_json::from_value(json!({ "kind": kind })).unwrap();
    Edit::AddUnit { strip, at: 0, unit }
}

#[test]
fn a_unit_put_in_is_there_before_the_server_has_answered_and_what_waits_is_about_it_whoever_was_quicker() {
    let session = full_session();
    let mut server = Server { session: session.clone(), log: Vec::new() };
    let (mut quick, mut slow) = (Window::new(&session), Window::new(&session));
    assert!(quick.make(fresh(4, "width")));
    let rack = |window: &Window| window.held.shown().strip(4).unwrap().rack.units[0].clone();
    assert!(slow.make(fresh(4, "compressor")));
    let shown = rack(&slow);
    assert_eq!((shown.kind.id, shown.id), ("compressor", session.next_id));
    assert_eq!(shown.id, rack(&quick).id, "both give it the same identity");
    for ratio in [3, 7] {
        assert!(slow.make(Edit::SetParam { strip: 4, unit: shown.id, param: "ratio".into(), value: ratio.into() }));
    }
    assert_eq!(quick.send(&mut server, 0), Some(true));
    let answers: Vec<_> = std::iter::from_fn(|| slow.send(&mut server, 1)).collect();
    assert_eq!(answers, [true; 3]);
    let kept = server.session.strip(4).unwrap();
    let named = |id: &str| kept.rack.units.iter().find(|unit| unit.kind.id == id).unwrap();
    assert_ne!(named("compressor").id, named("width").id);
    assert_eq!(named("compressor").settings.fixed.number("ratio"), 7.0);
    slow.is_sound(&server).unwrap();
}

#[test]
fn what_waits_behind_a_unit_that_is_refused_reaches_no_other() {
    let session = full_session();
    let mut held = WindowSession::new(session.clone());
    held.wait(1, fresh(4, "compressor")).unwrap();
    let set =
        |value: f64| Edit::SetParam { strip: 4, unit: session.next_id, param: "ratio".into(), value: value.into() };
    held.wait(2, set(4.0)).unwrap();
    held.refuse(1);
    assert_eq!(held.shown(), &session);
    let Some(Edit::SetParam { unit, .. }) = held.edit(2) else { panic!("it waits") };
    assert!(session.strips.iter().all(|strip| strip.rack.units.iter().all(|known| known.id != *unit)));
    assert_ne!(*unit, session.next_id, "nor what another window puts in next");
}

#[test]
fn an_edit_that_does_not_fit_what_is_held_says_so() {
    let mut held = WindowSession::new(full_session());
    let gone = Edit::Rename { strip: 99, name: "a".into() };
    assert!(held.follow(&[Kept { edit: gone, number: None }]).is_err());
    held.replace(full_session(), None);
    assert_eq!(held.shown(), &full_session());
}

/// What the server has answered waits no more, also where its answer is the whole session or cannot be followed: a later
/// value of another window is not covered by it.
#[test]
fn an_edit_that_is_answered_by_the_whole_session_or_among_edits_that_do_not_fit_waits_no_more() {
    let level = |value: f64| Edit::SetControl { strip: 4, control: "level_db".into(), value: value.into() };
    let gone = Edit::Rename { strip: 99, name: "a".into() };
    let mut session = full_session();
    level(-9.0).apply(&mut session).unwrap();
    for fits in [true, false] {
        let mut held = WindowSession::new(full_session());
        held.wait(1, level(-1.0)).unwrap();
        held.wait(2, Edit::SetNote { strip: 4, note: "still".into() }).unwrap();
        if !fits {
            let answer = [Kept { edit: gone.clone(), number: None }, Kept { edit: level(-1.0), number: Some(1) }];
            assert!(held.follow(&answer).is_err());
        }
        held.replace(session.clone(), fits.then_some(1));
        let lead = held.shown().strip(4).unwrap();
        assert_eq!((lead.controls.number("level_db"), lead.note.as_str()), (-9.0, "still"));
        assert_eq!(held.waiting().collect::<Vec<_>>(), [2]);
    }
}

/// One value of a large session: what the page is told is the unit alone.
#[test]
fn a_value_of_one_unit_of_many_is_that_unit_alone() {
    let mut s = Session::new("large", 48_000);
    for n in 0..48 {
        let strip = s.add_strip(&format!("{n}"), Family::Gt, Role::Bus, 1);
        for _ in 0..12 {
            let eq = json!({"kind": "surgical-eq", "params": {"bands": [{}, {}, {}, {}, {}, {}, {}, {}]}});
            s.add_unit(strip, crate::rack::UnitSpec::from_json(&eq, 1).unwrap());
        }
    }
    let (strip, unit) = (s.strips[20].id, s.strips[20].rack.units[6].id);
    let mut held = WindowSession::new(s);
    let gain = Edit::SetParam { strip, unit, param: "bands[3].gain_db".into(), value: (-3.5).into() };
    let parts = held.wait(1, gain).unwrap();
    assert_eq!(parts, [Touch::Unit(strip, unit)]);
    assert_eq!(held.part(parts[0])["unit"]["params"]["bands"][3]["gain_db"], json!(-3.5));
    let section = Section { id: 0, name: "A".into(), start: 0, end: 9 };
    assert_eq!(held.wait(2, Edit::AddSection { section }).unwrap(), [], "it waits for its identity");
}
