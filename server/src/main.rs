//! Zinc Rack: the one program a user starts.
//!
//! `cli` reads the command line, `commands` does what it says; `app` is what the
//! running server shares. `pages` and `api` parse, call and render; rules live
//! in `zinc-core`, SQL in `store`, files in `shelf`.

#[macro_use]
mod standard_output;

mod api;
mod app;
mod cli;
mod commands;
mod demo;
mod failure;
mod gate;
mod guard;
mod import;
mod jobs;
mod owner;
mod pages;
mod prints;
mod responses;
mod services;
mod shelf;
mod store;
mod upkeep;
mod windows;

use clap::Parser;

fn main() -> std::process::ExitCode {
    match commands::run(cli::Cli::parse()) {
        Ok(()) => std::process::ExitCode::SUCCESS,
        Err(failure) => {
            eprintln!("zinc-rack: {failure}");
            std::process::ExitCode::from(failure.code)
        }
    }
}
