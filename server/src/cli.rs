//! The command line.

use std::net::IpAddr;
use std::path::PathBuf;

use clap::{Args, Parser, Subcommand};

/// Shape the tracks of a song in the browser, or from the shell.
#[derive(Parser)]
#[command(name = "zinc-rack", version)]
pub struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

/// What to do.
#[derive(Subcommand)]
pub enum Command {
    /// Start with the demo session (made on first start).
    Demo(ServeArgs),
    /// Start with the sessions there are.
    Serve(ServeArgs),
    /// Run one rack over a file.
    Process(ProcessArgs),
    /// Print response, latency, static curve and harmonics of a rack.
    Probe(ProbeArgs),
    /// Print loudness, peak, crest and spectrum of a file.
    Measure(MeasureArgs),
    /// Check database and audio shelf.
    Check(CheckArgs),
}

/// Where to listen and keep things.
#[derive(Args)]
pub struct ServeArgs {
    /// Port to listen on.
    #[arg(long, default_value_t = 8123)]
    pub port: u16,
    /// Folder for sessions and audio, made if it does not exist.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Address to listen on; anything but loopback lets others on the network in.
    #[arg(long, default_value = "127.0.0.1")]
    pub bind: IpAddr,
}

/// One rack over one file.
#[derive(Args)]
pub struct ProcessArgs {
    /// WAV or FLAC file to read.
    pub input: PathBuf,
    /// WAV file to write.
    pub output: PathBuf,
    /// Rack file (JSON).
    #[arg(long)]
    pub rack: PathBuf,
    /// Sample format of the output: 24 or 32f.
    #[arg(long, default_value = "32f", value_parser = ["24", "32f"])]
    pub bits: String,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A rack without audio.
#[derive(Args)]
pub struct ProbeArgs {
    /// Rack file (JSON).
    #[arg(long)]
    pub rack: PathBuf,
    /// Sample rate in Hz.
    #[arg(long, default_value_t = 48_000, value_parser = clap::value_parser!(u32).range(8_000..=384_000))]
    pub rate: u32,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// Figures of a file.
#[derive(Args)]
pub struct MeasureArgs {
    /// WAV or FLAC file to read.
    pub input: PathBuf,
    /// A second file to subtract.
    #[arg(long)]
    pub against: Option<PathBuf>,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A data folder.
#[derive(Args)]
pub struct CheckArgs {
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}
