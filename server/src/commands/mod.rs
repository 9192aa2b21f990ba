//! One module per command. A failure is a sentence and an exit code.

mod check;
mod difference;
mod floor;
mod impulse;
mod measure;
mod probe;
mod process;
mod rings;
mod serve;
mod sessions;

use std::path::Path;

use zinc_core::rack::RackSpec;

use crate::cli::{Cli, Command};
use crate::sound::{Decoded, decode};

/// Why a command failed.
#[derive(Debug)]
pub struct Failure {
    /// 1: the work could not be done; 2: what was asked makes no sense; 3: `check` found faults.
    pub code: u8,
    sentence: String,
}

impl Failure {
    /// The work could not be done.
    pub fn work(sentence: impl Into<String>) -> Self {
        Self { code: 1, sentence: sentence.into() }
    }

    /// The input makes no sense.
    pub fn input(sentence: impl Into<String>) -> Self {
        Self { code: 2, sentence: sentence.into() }
    }
}

impl std::fmt::Display for Failure {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.sentence)
    }
}

/// Does what the command line says.
pub fn run(cli: Cli) -> Result<(), Failure> {
    match cli.command {
        Command::Demo(args) => serve::run(&args, true),
        Command::Serve(args) => serve::run(&args, false),
        Command::Process(args) => process::run(&args),
        Command::Probe(args) => probe::run(&args),
        Command::Measure(args) => measure::run(&args),
        Command::Rings(args) => rings::run(&args),
        Command::Difference(args) => difference::run(&args),
        Command::Impulse(args) => impulse::run(&args),
        Command::Floor(args) => floor::run(&args),
        Command::Sessions(args) => sessions::list(&args),
        Command::Graph(args) => sessions::paths(&args),
        Command::Print(args) => sessions::print(&args),
        Command::Import(args) => sessions::import(&args),
        Command::Check(args) => check::run(&args),
    }
}

/// Reads a rack file.
fn read_rack(path: &Path) -> Result<RackSpec, Failure> {
    let shown = path.display();
    let text = std::fs::read_to_string(path)
        .map_err(|e| Failure::input(format!("The rack file {shown} cannot be read ({e}). Nothing was written.")))?;
    RackSpec::from_text(&text)
        .map_err(|e| Failure::input(format!("The rack file {shown} cannot be used: {e}. Nothing was written.")))
}

/// Reads a sound file.
fn read_sound(path: &Path) -> Result<Decoded, Failure> {
    decode(path).map_err(|e| Failure::input(format!("{} {e}. Nothing was written.", path.display())))
}

/// Prints a report as JSON.
fn print_json(report: &impl serde::Serialize) -> Result<(), Failure> {
    let text = serde_json::to_string_pretty(report).map_err(|e| Failure::work(e.to_string()))?;
    println!("{text}");
    Ok(())
}
