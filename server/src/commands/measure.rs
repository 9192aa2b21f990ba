//! `zinc-rack measure`: figures of a file, and of its difference from another.

use serde_json::{Value as Json, json};
use zinc_core::measure::Difference;
use zinc_core::measure::file::{FigureMeter, Figures};
use zinc_core::render::offline::BlockSource;
use zinc_core::signal::StereoBlock;

use super::files::{for_each_block, print_json, read_sound};
use crate::cli::MeasureArgs;
use crate::failure::Failure;
use zinc_sound::Decoded;
use zinc_sound::stream::DecodedBlocks;

/// Runs the command.
pub fn run(args: &MeasureArgs) -> Result<(), Failure> {
    let sound = read_sound(&args.input)?;
    let figures = figures(&sound);
    let difference = match &args.against {
        None => None,
        Some(other) => {
            let other = read_sound(other)?;
            if other.rate != sound.rate {
                return Err(Failure::input(format!(
                    "The files have different sample rates ({} and {} Hz) and cannot be subtracted.",
                    sound.rate, other.rate
                )));
            }
            Some(difference(&sound, &other))
        }
    };
    if args.json {
        return print_json(&report(&figures, difference.as_ref()));
    }
    match figures.lufs_integrated {
        Some(lufs) => said!("loudness   {lufs:7.2} LUFS"),
        None => said!("loudness   none (silent or under 0.4 s)"),
    }
    said!("true peak  {:7.2} dBTP", figures.true_peak_dbtp);
    said!("peak       {:7.2} dBFS", figures.sample_peak_dbfs);
    said!("RMS        {:7.2} dBFS", figures.rms_dbfs);
    said!("crest      {:7.2} dB", figures.crest_db);
    if let Some(d) = difference {
        said!("difference {:7.2} dBFS RMS, {:.2} dBFS peak", d.rms_db(), d.peak_db());
    }
    for band in &figures.third_octave {
        said!("  {:8.1} Hz  {:7.1} dBFS", band.hz, band.db);
    }
    Ok(())
}

fn report(figures: &Figures, difference: Option<&Difference>) -> Json {
    let mut report = json!(figures);
    if let Some(d) = difference {
        report["difference_rms_dbfs"] = json!(d.rms_db());
        report["difference_peak_dbfs"] = json!(d.peak_db());
    }
    report
}

/// Figures of a whole recording.
pub(super) fn figures(sound: &Decoded) -> Figures {
    let mut meter = FigureMeter::new(f64::from(sound.rate), sound.channels);
    for_each_block(sound, sound.frames(), |block, n| meter.push(block, n));
    meter.figures()
}

/// Over the longer of the two; the shorter is followed by silence.
fn difference(a: &Decoded, b: &Decoded) -> Difference {
    let mut d = Difference::default();
    let mut other = DecodedBlocks::new(b);
    let mut block_b = StereoBlock::SILENT;
    for_each_block(a, a.frames().max(b.frames()), |block, n| {
        // Reading from memory cannot fail.
        let _ = other.next_block(&mut block_b);
        d.push(block, &block_b, n);
    });
    d
}
