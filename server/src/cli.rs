//! The command line.

use std::net::IpAddr;
use std::path::PathBuf;

use clap::builder::RangedU64ValueParser;
use clap::{Args, Parser, Subcommand};
use zinc_core::measure::events::EDGES_HZ;
use zinc_demo::song::BARS;

/// Shape the tracks of a song in the browser, or from the shell.
#[derive(Parser)]
#[command(name = "zinc-rack", version, long_version = zinc_core::SOURCES)]
pub struct Cli {
    /// What to do.
    #[command(subcommand)]
    pub command: Command,
}

/// What to do.
#[derive(Subcommand)]
pub enum Command {
    /// Start with the demo session (made on first start).
    Demo(DemoArgs),
    /// Start with the sessions there are.
    Serve(ServeArgs),
    /// Run one rack over a file.
    Process(ProcessArgs),
    /// Print response, latency, static curve, harmonics and intermodulation of a rack.
    Probe(ProbeArgs),
    /// Write a test signal to a file, through a rack if one is given.
    Signal(SignalArgs),
    /// Print loudness, peak, crest and spectrum of a file.
    Measure(MeasureArgs),
    /// Find narrow resonances that stay while the notes change.
    Rings(ListenArgs),
    /// Find moments at which one region stands far above its usual level
    Events(EventsArgs),
    /// Try one passage over a list of settings, orders or racks, and compare them
    Trial(TrialArgs),
    /// Say what the compressors of a rack do wrong on a file, and which units should change places
    Advise(AdviseArgs),
    /// Show what leads from one recording to another, as an EQ.
    Difference(DifferenceArgs),
    /// Write the impulse response of a rack to a file.
    Impulse(ImpulseArgs),
    /// Find where an instrument begins, and the high-passes that follow.
    Floor(ListenArgs),
    /// List the sessions of a data folder.
    Sessions(SessionsArgs),
    /// Print a session's blocks, paths and latencies.
    Graph(GraphArgs),
    /// Print a track, a bus, a return or the mix to a file.
    Print(PrintArgs),
    /// Bring files into a session.
    Import(ImportArgs),
    /// Bring in and list the sounds that units of racks name.
    Sounds(SoundsArgs),
    /// Check database and audio shelf.
    Check(CheckArgs),
    /// List the daily copies of the database, or go back to one of them.
    RestoreDatabase(RestoreArgs),
}

/// Where to listen and keep things.
#[derive(Args)]
pub struct ServeArgs {
    /// Port to listen on; 0 for any that is free.
    #[arg(long, default_value_t = 8123)]
    pub port: u16,
    /// Folder for sessions and audio, made if it does not exist.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Address to listen on; beyond loopback others on the network get in who know the passphrase that is printed.
    #[arg(long, default_value = "127.0.0.1")]
    pub bind: IpAddr,
    /// Name of a proxy before it, which may be on any port and safe (https): requests for that name are answered.
    #[arg(long)]
    pub proxied: Option<String>,
}

/// The demo, and where to listen and keep things.
#[derive(Args)]
pub struct DemoArgs {
    /// Bars of the song that are made, from its first: a short song is printed sooner on a slow machine.
    #[arg(long, default_value_t = BARS, value_parser = RangedU64ValueParser::<usize>::new().range(1..=BARS as u64))]
    pub bars: usize,
    /// Where to listen and keep things.
    #[command(flatten)]
    pub serve: ServeArgs,
}

/// One rack over one file.
#[derive(Args)]
pub struct ProcessArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis or MP3 file to read.
    pub input: PathBuf,
    /// WAV file to write.
    pub output: PathBuf,
    /// Rack file (JSON).
    #[arg(long)]
    pub rack: PathBuf,
    /// Sample format of the output: 24 or 32f.
    #[arg(long, default_value = "32f", value_parser = ["24", "32f"])]
    pub bits: String,
    /// A file that drives the units with a key; those with none where no unit names one.
    #[arg(long)]
    pub key: Option<PathBuf>,
    /// Write what rings on after the input's end too.
    #[arg(long)]
    pub tail: bool,
    /// Sounds the rack names.
    #[command(flatten)]
    pub sounds: RackSounds,
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
    /// Recording of a part: tone and level are those of its notes and its peaks.
    #[arg(long)]
    pub part: Option<PathBuf>,
    /// Level of the test tones in dBFS peak (the part's, or -6).
    #[arg(long, allow_hyphen_values = true, value_parser = level)]
    pub level_db: Option<f64>,
    /// Frequency of the test tone in Hz, taken to the nearest 10 Hz (the part's, or 1000).
    #[arg(long, value_parser = tone)]
    pub tone_hz: Option<f64>,
    /// Sample rate in Hz.
    #[arg(long, default_value_t = 48_000, value_parser = clap::value_parser!(u32).range(8_000..=384_000))]
    pub rate: u32,
    /// Sounds the rack names.
    #[command(flatten)]
    pub sounds: RackSounds,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A test signal.
#[derive(Args)]
pub struct SignalArgs {
    /// Which.
    #[arg(value_parser = ["tone", "sweep", "noise", "hit"])]
    pub signal: String,
    /// WAV file to write (32-bit float, stereo).
    pub output: PathBuf,
    /// Rack file (JSON) it is sent through; what rings on is written too.
    #[arg(long)]
    pub rack: Option<PathBuf>,
    /// Level of its largest sample in dBFS.
    #[arg(long, default_value_t = 0.0, allow_hyphen_values = true, value_parser = level)]
    pub level_db: f64,
    /// Sample rate in Hz.
    #[arg(long, default_value_t = 48_000, value_parser = clap::value_parser!(u32).range(8_000..=384_000))]
    pub rate: u32,
    /// Sounds the rack names.
    #[command(flatten)]
    pub sounds: RackSounds,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A level of a test tone in dBFS.
fn level(text: &str) -> Result<f64, String> {
    text.parse().ok().filter(|db| (-120.0..=24.0).contains(db)).ok_or_else(|| "it takes -120 to 24 dBFS".into())
}

/// A frequency of a test tone in Hz.
fn tone(text: &str) -> Result<f64, String> {
    text.parse().ok().filter(|hz| (20.0..=8000.0).contains(hz)).ok_or_else(|| "it takes 20 to 8000 Hz".into())
}

/// Two recordings.
#[derive(Args)]
pub struct DifferenceArgs {
    /// Where it starts from.
    pub from: PathBuf,
    /// What it should sound like.
    pub to: PathBuf,
    /// Width in octaves over which the curve is smoothed.
    #[arg(long, default_value_t = 0.17)]
    pub smooth: f64,
    /// Bands it is fitted with.
    #[arg(long, default_value_t = 6, value_parser = bands)]
    pub bands: usize,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A number of bands that a surgical EQ holds.
fn bands(text: &str) -> Result<usize, String> {
    text.parse().ok().filter(|n| (1..=12).contains(n)).ok_or_else(|| "it takes 1 to 12".into())
}

/// Where an impulse response goes.
#[derive(Args)]
pub struct ImpulseArgs {
    /// WAV file to write (32-bit float, stereo).
    pub output: PathBuf,
    /// Rack file (JSON).
    #[arg(long)]
    pub rack: PathBuf,
    /// Sample rate in Hz.
    #[arg(long, default_value_t = 48_000, value_parser = clap::value_parser!(u32).range(8_000..=384_000))]
    pub rate: u32,
    /// Sounds the rack names.
    #[command(flatten)]
    pub sounds: RackSounds,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A file to be listened to closely.
#[derive(Args)]
pub struct ListenArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis or MP3 file to read.
    pub input: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A recording in which something stands out.
#[derive(Args)]
pub struct EventsArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis or MP3 file to read.
    pub input: PathBuf,
    /// Lower edge in Hz of the region that is looked at; anywhere if none is given.
    #[arg(long, requires = "to_hz", value_parser = edge)]
    pub from_hz: Option<f64>,
    /// Its upper edge in Hz.
    #[arg(long, requires = "from_hz", value_parser = edge)]
    pub to_hz: Option<f64>,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// An edge of a region in Hz.
fn edge(text: &str) -> Result<f64, String> {
    let [low, high] = EDGES_HZ;
    text.parse().ok().filter(|hz| (low..=high).contains(hz)).ok_or_else(|| format!("it takes {low} to {high} Hz"))
}

/// A passage over several settings.
#[derive(Args)]
pub struct TrialArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis or MP3 file to read.
    pub input: PathBuf,
    /// Trial file (JSON): what is varied; see docs/trial-file.md.
    #[arg(long)]
    pub vary: PathBuf,
    /// Rack file (JSON), where the trial file holds none.
    #[arg(long)]
    pub rack: Option<PathBuf>,
    /// Sounds the racks name.
    #[command(flatten)]
    pub sounds: RackSounds,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A rack on a file.
#[derive(Args)]
pub struct AdviseArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis or MP3 file to read.
    pub input: PathBuf,
    /// Rack file (JSON).
    #[arg(long)]
    pub rack: PathBuf,
    /// Sounds the rack names.
    #[command(flatten)]
    pub sounds: RackSounds,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// Figures of a file.
#[derive(Args)]
pub struct MeasureArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis or MP3 file to read.
    pub input: PathBuf,
    /// A second file to subtract.
    #[arg(long)]
    pub against: Option<PathBuf>,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// Where the sounds that a rack names come from.
#[derive(Args)]
pub struct RackSounds {
    /// File of a sound that the rack names; may be given several times.
    #[arg(long = "sound", value_name = "FILE")]
    pub sounds: Vec<PathBuf>,
    /// Folder whose sounds are used as well, if it exists.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
}

/// Sounds for units.
#[derive(Args)]
pub struct SoundsArgs {
    /// WAV, AIFF, FLAC, Ogg Vorbis and MP3 files to bring in first.
    pub files: Vec<PathBuf>,
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
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
    /// Remove what nothing uses: recordings and sounds that no session, undo or the bin names, prints and printed files of
    /// nothing that is there; and prints that are damaged, which are made again when they are needed.
    #[arg(long)]
    pub mend: bool,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// A copy of a database.
#[derive(Args)]
pub struct RestoreArgs {
    /// Day of the copy that takes the database's place, as listed; without it they are listed.
    #[arg(long, value_name = "DAY")]
    pub from: Option<String>,
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// All sessions.
#[derive(Args)]
pub struct SessionsArgs {
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// The paths of one session.
#[derive(Args)]
pub struct GraphArgs {
    /// Number or name of the session.
    pub session: String,
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// One print.
#[derive(Args)]
pub struct PrintArgs {
    /// Number or name of the session.
    pub session: String,
    /// WAV file to write.
    pub output: PathBuf,
    /// mix, track:NAME, bus:NAME or return:NAME.
    #[arg(long, default_value = "mix")]
    pub what: String,
    /// Sample format of the output: 24 or 32f.
    #[arg(long, default_value = "24", value_parser = ["24", "32f"])]
    pub bits: String,
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}

/// Files for a session.
#[derive(Args)]
pub struct ImportArgs {
    /// Number or name of the session.
    pub session: String,
    /// WAV, AIFF, FLAC, Ogg Vorbis and MP3 files.
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// Make a new session of this name first, at this sample rate in Hz.
    #[arg(long, value_name = "RATE", value_parser = clap::value_parser!(u32).range(44_100..=96_000))]
    pub new: Option<u32>,
    /// Folder with sessions and audio.
    #[arg(long, default_value = "zinc-data")]
    pub data: PathBuf,
    /// Report as JSON.
    #[arg(long)]
    pub json: bool,
}
