//! One module per command. A failure is a sentence and an exit code.

mod advise;
mod check;
mod difference;
mod events;
mod files;
mod floor;
mod impulse;
mod measure;
mod probe;
mod process;
mod restore;
mod rings;
mod serve;
mod sessions;
mod signal;
mod sounds;
mod trial;

use crate::cli::{Cli, Command};
use crate::failure::Failure;

/// Does what the command line says.
pub fn run(cli: Cli) -> Result<(), Failure> {
    match cli.command {
        Command::Demo(args) => serve::run(&args.serve, Some(args.bars)),
        Command::Serve(args) => serve::run(&args, None),
        Command::Process(args) => process::run(&args),
        Command::Probe(args) => probe::run(&args),
        Command::Signal(args) => signal::run(&args),
        Command::Measure(args) => measure::run(&args),
        Command::Rings(args) => rings::run(&args),
        Command::Events(args) => events::run(&args),
        Command::Trial(args) => trial::run(&args),
        Command::Advise(args) => advise::run(&args),
        Command::Difference(args) => difference::run(&args),
        Command::Impulse(args) => impulse::run(&args),
        Command::Floor(args) => floor::run(&args),
        Command::Sessions(args) => sessions::list(&args),
        Command::Graph(args) => sessions::paths(&args),
        Command::Print(args) => sessions::print(&args),
        Command::Import(args) => sessions::import(&args),
        Command::Sounds(args) => sounds::run(&args),
        Command::Check(args) => check::run(&args),
        Command::RestoreDatabase(args) => restore::run(&args),
    }
}
