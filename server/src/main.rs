//! Zinc Rack: the one program a user starts.
//!
//! `cli` reads the command line, `commands` does what it says; `app` is what the
//! running server shares. `pages` and `api` parse, call and render; rules live
//! in `zinc-core`, SQL in `store`, files in `shelf`.

#[macro_use]
mod said;

mod advice;
mod api;
mod app;
mod beside;
mod cli;
mod commands;
mod demo;
mod failure;
mod figures;
mod guard;
mod import;
mod jobs;
mod listened;
mod owner;
mod pages;
mod prints;
mod responses;
mod shelf;
mod store;
mod taken;
mod trials;
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
