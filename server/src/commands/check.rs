//! `zinc-rack check`: is everything there that the database speaks of, and whole?

use std::collections::BTreeSet;

use serde::Serialize;

use super::files::print_json;
use crate::app::App;
use crate::cli::CheckArgs;
use crate::failure::Failure;
use crate::shelf::{Place, Shelf, hash_payload, size};
use crate::upkeep::space;
use zinc_sound::in_words;

#[derive(Default, Serialize)]
struct Report {
    /// Sessions that read whole.
    sessions: usize,
    /// Payloads the database knows.
    audio: usize,
    /// What SQLite or a session's rows complain of.
    database_faults: Vec<String>,
    /// Payloads without a file, by the name they were imported under, and sounds that units name
    /// and nobody has brought in.
    missing: Vec<String>,
    /// Payloads whose file has other content.
    damaged: Vec<String>,
    /// Files that no row speaks of.
    orphaned: Vec<String>,
    /// Prints that are not what was written of them: they are made again when they are needed.
    damaged_prints: Vec<String>,
    /// Half-written files (cleared at the next start).
    leftovers: usize,
    /// Recordings and prints that were removed.
    removed: Vec<String>,
}

/// Runs the command; exit code 3 when anything is wrong. Changes nothing unless it is to mend.
pub fn run(args: &CheckArgs) -> Result<(), Failure> {
    let shown = args.data.display();
    if !args.data.join("zinc.sqlite").exists() {
        return Err(Failure::input(format!("There is no Zinc Rack data in {shown}. Nothing was checked.")));
    }
    let mut report = inspect(args, &App::look(&args.data)?)
        .map_err(|e| Failure::work(format!("{shown} cannot be checked ({e}).")))?;
    if args.mend {
        mend(args, &mut report)?;
    }
    let faults = report.database_faults.len() + report.missing.len() + report.damaged.len();
    if args.json {
        print_json(&report)?;
    } else {
        said!("{} sessions and {} audio files in {shown}.", report.sessions, report.audio);
        report.database_faults.iter().for_each(|f| said!("database: {f}"));
        report.missing.iter().for_each(|f| said!("missing: {f}"));
        report.damaged.iter().for_each(|f| said!("damaged: {f}"));
        report.orphaned.iter().for_each(|f| said!("not used by any session: {f}"));
        report
            .damaged_prints
            .iter()
            .for_each(|f| said!("print that is damaged, and is made again when it is needed: {f}"));
        report.removed.iter().for_each(|f| said!("removed: {f}"));
        if report.leftovers > 0 {
            said!("{} unfinished files; they are cleared at the next start.", report.leftovers);
        }
        said!("{}", if faults == 0 { "Everything is whole." } else { "Import the files named above again." });
    }
    if faults == 0 { Ok(()) } else { Err(Failure::found(format!("{faults} faults found."))) }
}

/// Removes what is of no use, as the owner of the folder. A recording that is missing or damaged can only be brought in again.
fn mend(args: &CheckArgs, report: &mut Report) -> Result<(), Failure> {
    let app = App::open(&args.data)?;
    let stays = |e: std::io::Error| Failure::work(format!("Not all could be removed ({}).", in_words(&e)));
    for hash in std::mem::take(&mut report.orphaned) {
        app.shelf.remove_file(Place::Audio, &hash).map_err(stays)?;
        report.removed.push(format!("recording {hash}"));
    }
    let unused = space::give_back(&app).map_err(|e| Failure::work(e.to_string()))?;
    report.removed.extend(unused.into_iter().map(|(place, file)| {
        let what = match place {
            Place::Audio => "recording",
            Place::Prints => "print",
            Place::Printed => "printed file",
        };
        format!("{what} {} that nothing uses, {}", file.name, size(file.bytes))
    }));
    for key in std::mem::take(&mut report.damaged_prints) {
        app.shelf.remove_file(Place::Prints, &key).map_err(stays)?;
        report.removed.push(format!("print {key}"));
    }
    report.leftovers = app.shelf.leftovers().map_err(stays)?;
    Ok(())
}

fn inspect(args: &CheckArgs, app: &App) -> Result<Report, Box<dyn std::error::Error>> {
    let App { store, .. } = app;
    let shelf = Shelf::look(&args.data);
    let mut report = Report { database_faults: store.integrity()?, leftovers: shelf.leftovers()?, ..Report::default() };
    let mut sounds = BTreeSet::new();
    for row in store.sessions()? {
        match store.load(row.id) {
            Ok(stored) => {
                report.sessions += 1;
                let named = stored.session.named_sounds().map(|id| id.to_string());
                sounds.extend(named.map(|id| (id, row.name.clone())));
                let unreadable = (!stored.lost.is_empty()).then(|| stored.lost.words());
                report.database_faults.extend(
                    unreadable.map(|what| format!("session {} \"{}\": not readable: {what}", row.id, row.name)),
                );
            }
            Err(e) => report.database_faults.push(format!("session {} \"{}\": {e}", row.id, row.name)),
        }
    }
    let known = store.all_audio()?;
    let unknown = sounds.into_iter().filter(|(id, _)| !known.iter().any(|k| k.hash == *id));
    report.missing.extend(unknown.map(|(id, session)| format!("sound {id}, named by a unit of \"{session}\"")));
    report.audio = known.len();
    for audio in &known {
        let file = shelf.audio_file(&audio.hash);
        if !file.exists() {
            report.missing.push(audio.name.clone());
        } else if hash_payload(&file, audio.channels as usize, audio.rate as u32)? != audio.hash {
            report.damaged.push(audio.name.clone());
        }
    }
    report.damaged_prints = shelf.damaged_prints()?;
    report.orphaned = shelf.payloads()?.into_iter().filter(|p| !known.iter().any(|k| k.hash == *p)).collect();
    Ok(report)
}
