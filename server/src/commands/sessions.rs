//! `zinc-rack sessions`, `graph`, `print`, `import`: a data folder's sessions from the
//! shell. A session is named by its number or its name.

use std::path::Path;

use serde_json::json;
use zinc_core::render::graph::graph;
use zinc_core::session::{Role, Session};

use super::files::print_json;
use crate::app::App;
use crate::cli::{GraphArgs, ImportArgs, PrintArgs, SessionsArgs};
use crate::failure::Failure;
use crate::import::import_file;
use crate::jobs::{Job, JobError};
use crate::prints::file::{Order, PrintedFile, to_file};
use crate::store::SessionRow;
use zinc_sound::{Bits, in_words};

fn open(data: &Path) -> Result<App, Failure> {
    if !data.join("zinc.sqlite").exists() {
        return Err(Failure::input(format!("There is no Zinc Rack data in {}. Nothing was done.", data.display())));
    }
    App::look(data)
}

fn rows(app: &App) -> Result<Vec<SessionRow>, Failure> {
    app.store.sessions().map_err(|e| Failure::work(e.to_string()))
}

/// The session named by number or name.
fn find(app: &App, named: &str) -> Result<(i32, Session), Failure> {
    let all = rows(app)?;
    let number = named.parse::<i32>().ok();
    let row = all.iter().find(|r| Some(r.id) == number).or_else(|| all.iter().find(|r| r.name == named));
    let row = row.ok_or_else(|| {
        let names: Vec<String> = all.iter().map(|r| format!("{} \"{}\"", r.id, r.name)).collect();
        Failure::input(format!("There is no session \"{named}\". There are: {}. Nothing was done.", names.join(", ")))
    })?;
    let stored = app.store.load(row.id).map_err(|e| Failure::work(e.to_string()))?;
    if let Some(trouble) = stored.trouble() {
        eprintln!("zinc-rack: {trouble}");
    }
    let mut session = stored.session;
    app.responses.supply(&mut session, None);
    Ok((row.id, session))
}

/// Lists sessions.
pub fn list(args: &SessionsArgs) -> Result<(), Failure> {
    let app = open(&args.data)?;
    let mut all = Vec::new();
    for row in rows(&app)? {
        let stored = app.store.load(row.id).map_err(|e| Failure::work(e.to_string()))?;
        let (session, lost) = (stored.session, stored.lost);
        let seconds = session.frames() as f64 / f64::from(session.rate);
        let units: usize = session.strips.iter().map(|s| s.rack.units.len()).sum();
        all.push(json!({
            "id": row.id, "name": row.name, "rate": session.rate, "seconds": seconds, "tempo_bpm": session.tempo_bpm,
            "tracks": session.tracks().count(), "buses": session.buses().count(),
            "returns": session.returns().count(), "units": units, "changes": row.version,
            "not_readable": lost.words(),
        }));
    }
    if args.json {
        return print_json(&all);
    }
    for s in &all {
        said!(
            "{:>4}  {}  ({} tracks, {} units, {:.1} s at {} Hz)",
            s["id"],
            s["name"],
            s["tracks"],
            s["units"],
            s["seconds"].as_f64().unwrap_or(0.0),
            s["rate"]
        );
        if let Some(lost) = s["not_readable"].as_str().filter(|lost| !lost.is_empty()) {
            said!("      damaged, read-only; not readable: {lost}");
        }
    }
    Ok(())
}

/// Prints the paths of a session.
pub fn paths(args: &GraphArgs) -> Result<(), Failure> {
    let app = open(&args.data)?;
    let (_, session) = find(&app, &args.session)?;
    let drawn = graph(&session);
    if args.json {
        return print_json(&drawn);
    }
    let name = |id: u32| session.strip(id).map_or("?", |s| s.name.as_str());
    for arrow in &drawn.edges {
        let level = arrow.level_db.map(|db| format!(" at {db:+.1} dB")).unwrap_or_default();
        said!("{} > {} ({:?}){level}", name(arrow.edge.from), name(arrow.edge.to), arrow.edge.path);
    }
    said!("The mix lags the recordings by {} frames.", drawn.latency_samples);
    Ok(())
}

/// The strip that `--what` names.
fn strip_named(session: &Session, what: &str) -> Result<u32, Failure> {
    if what == "mix" {
        return Ok(session.main_id());
    }
    let unknown = |why: String| Failure::input(format!("{why}. Nothing was written."));
    let (kind, name) = what
        .split_once(':')
        .ok_or_else(|| unknown(format!("--what {what} is not mix, track:NAME, bus:NAME or return:NAME")))?;
    let fits = |role: &Role| match kind {
        "track" => matches!(role, Role::Track(_)),
        "bus" => *role == Role::Bus,
        "return" => *role == Role::Return,
        _ => false,
    };
    let found = session.strips.iter().find(|s| fits(&s.role) && s.name == name);
    found.map(|s| s.id).ok_or_else(|| {
        let there: Vec<&str> = session.strips.iter().filter(|s| fits(&s.role)).map(|s| s.name.as_str()).collect();
        unknown(format!("There is no {kind} \"{name}\" in this session. There are: {}", there.join(", ")))
    })
}

/// Prints a strip or the mix to a file.
pub fn print(args: &PrintArgs) -> Result<(), Failure> {
    if args.output.extension().is_none_or(|e| !e.eq_ignore_ascii_case("wav")) {
        return Err(Failure::input(format!("{} must end in .wav. Nothing was written.", args.output.display())));
    }
    let app = open(&args.data)?;
    let (_, session) = find(&app, &args.session)?;
    let strip = strip_named(&session, &args.what)?;
    let bits = if args.bits == "24" { Bits::Int24 } else { Bits::Float32 };
    let missing = session.missing_sounds(strip);
    let PrintedFile { key, clipped, frames, is_silent } =
        to_file(&app.prints, &session, &Order { strip, bits, passage: None }, &Job::alone()).map_err(stopped)?;
    let written = |e: std::io::Error| {
        Failure::work(format!("{} cannot be written ({}). Nothing was kept.", args.output.display(), in_words(&e)))
    };
    let half = args.output.with_extension(format!("{}.tmp", std::process::id()));
    let copied = std::fs::copy(app.shelf.wav_file(&key), &half).and_then(|_| std::fs::rename(&half, &args.output));
    if let Err(e) = copied {
        let _ = std::fs::remove_file(&half);
        return Err(written(e));
    }
    if args.json {
        return print_json(
            &json!({ "output": args.output, "what": args.what, "rate": session.rate, "frames": frames, "clipped_samples": clipped, "silent": is_silent, "missing_sounds": missing }),
        );
    }
    if is_silent {
        eprintln!("zinc-rack: the print is silent.");
    }
    if let Some(missing) = &missing {
        eprintln!("zinc-rack: {missing}");
    }
    said!("{}: {} of \"{}\", {clipped} samples clipped.", args.output.display(), args.what, session.name);
    Ok(())
}

/// Brings files into a session; makes the session where `--new` asks for it.
pub fn import(args: &ImportArgs) -> Result<(), Failure> {
    if args.new.is_none() {
        drop(open(&args.data)?);
    }
    let app = App::open(&args.data)?;
    if let Some(rate) = args.new {
        app.store.create_session(&Session::new(&args.session, rate)).map_err(|e| Failure::work(e.to_string()))?;
    }
    let (id, _) = find(&app, &args.session)?;
    let mut results = Vec::new();
    let mut refused = 0;
    for file in &args.files {
        let name = file.file_name().map_or_else(|| file.display().to_string(), |n| n.to_string_lossy().into_owned());
        // A panic ends this file and no other.
        let work = std::panic::AssertUnwindSafe(|| import_file(&app, id, file, &name, None, &Job::alone()));
        let result = std::panic::catch_unwind(work).unwrap_or_else(|_| Err(JobError::fault()));
        let (kept, sentence) = match result {
            Ok(done) => (true, done.sentence),
            Err(JobError::Failed(why)) => (false, why),
            Err(JobError::Cancelled) => (false, format!("{name} was cancelled.")),
        };
        refused += u32::from(!kept);
        if !args.json {
            said!("{sentence}");
        }
        results.push(json!({ "file": file, "kept": kept, "sentence": sentence }));
    }
    if args.json {
        print_json(&json!({ "session": id, "files": results }))?;
    }
    if refused == 0 {
        Ok(())
    } else {
        Err(Failure::input(format!("{refused} of {} files were not imported.", args.files.len())))
    }
}

fn stopped(s: JobError) -> Failure {
    Failure::work(match s {
        JobError::Failed(why) => why,
        JobError::Cancelled => "It was cancelled.".to_string(),
    })
}
