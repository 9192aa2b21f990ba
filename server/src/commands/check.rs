//! `zinc-rack check`: is everything there that the database speaks of, and whole?

use std::collections::BTreeSet;

use serde::Serialize;

use super::files::print_json;
use crate::cli::CheckArgs;
use crate::failure::Failure;
use crate::shelf::{Shelf, hash_payload};
use crate::store::Store;

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
    /// Half-written files (cleared at the next start).
    leftovers: usize,
}

/// Runs the command; exit code 3 when anything is wrong. Changes nothing.
pub fn run(args: &CheckArgs) -> Result<(), Failure> {
    let shown = args.data.display();
    if !args.data.join("zinc.sqlite").exists() {
        return Err(Failure::input(format!("There is no Zinc Rack data in {shown}. Nothing was checked.")));
    }
    let report = inspect(args).map_err(|e| Failure::work(format!("{shown} cannot be checked ({e}).")))?;
    let faults = report.database_faults.len() + report.missing.len() + report.damaged.len();
    if args.json {
        print_json(&report)?;
    } else {
        said!("{} sessions and {} audio files in {shown}.", report.sessions, report.audio);
        report.database_faults.iter().for_each(|f| said!("database: {f}"));
        report.missing.iter().for_each(|f| said!("missing: {f}"));
        report.damaged.iter().for_each(|f| said!("damaged: {f}"));
        report.orphaned.iter().for_each(|f| said!("not used by any session: {f}"));
        if report.leftovers > 0 {
            said!("{} unfinished files; they are cleared at the next start.", report.leftovers);
        }
        said!("{}", if faults == 0 { "Everything is whole." } else { "Import the files named above again." });
    }
    if faults == 0 { Ok(()) } else { Err(Failure::found(format!("{faults} faults found."))) }
}

fn inspect(args: &CheckArgs) -> Result<Report, Box<dyn std::error::Error>> {
    let store = Store::look(&args.data.join("zinc.sqlite"))?;
    let shelf = Shelf::look(&args.data);
    let mut report = Report { database_faults: store.integrity()?, leftovers: shelf.leftovers()?, ..Report::default() };
    let mut sounds = BTreeSet::new();
    for row in store.sessions()? {
        match store.load(row.id) {
            Ok(stored) => {
                report.sessions += 1;
                let named = stored.session.named_sounds().map(|id| id.to_string());
                sounds.extend(named.map(|id| (id, row.name.clone())));
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
    report.orphaned = shelf.payloads()?.into_iter().filter(|p| !known.iter().any(|k| k.hash == *p)).collect();
    Ok(report)
}
