//! `zinc-rack trial`: one passage over a list of settings, compared.

use serde_json::Value as Json;
use zinc_core::rack::RackSpec;
use zinc_core::rack::lead_in;
use zinc_core::trial::Trial;

use super::files::{passage, print_json, read_rack, read_sound};
use super::sounds::supply;
use crate::cli::TrialArgs;
use crate::failure::Failure;
use crate::services::trials;

/// Runs the command.
pub fn run(args: &TrialArgs) -> Result<(), Failure> {
    let shown = args.vary.display();
    let faulty =
        |why: String| Failure::input(format!("The trial file {shown} cannot be used: {why}. Nothing was tried."));
    let text = std::fs::read_to_string(&args.vary).map_err(|e| faulty(e.to_string()))?;
    let json: Json = serde_json::from_str(&text).map_err(|e| faulty(format!("it is not JSON ({e})")))?;
    let trial = Trial::from_json(&json).map_err(faulty)?;
    let rack = match (&args.rack, &trial.rack) {
        (Some(path), _) => read_rack(path)?,
        (None, Some(rack)) => RackSpec::from_json(rack).map_err(|e| faulty(e.to_string()))?,
        (None, None) => return Err(faulty("it holds no rack, and none was given with --rack".into())),
    };
    let sound = read_sound(&args.input)?;
    let mut variants = trial.variants(&rack).map_err(faulty)?;
    for variant in &mut variants {
        supply(&mut variant.rack, &args.sounds, sound.rate, args.json)?;
    }
    let whole = passage(&sound);
    let stretch = trials::stretch_of(&trial, whole.seconds()).map_err(faulty)?;
    let [from, to] = stretch.map(|seconds| (seconds * whole.rate) as usize);
    let lead_s = variants.iter().map(|variant| lead_in::seconds(&variant.rack)).fold(0.0, f64::max);
    let part = whole.cut_led(from, to, (lead_s * whole.rate) as usize);
    let report = trials::run(&part, &variants, |_| Ok(())).map_err(|e| Failure::work(format!("{e:?}")))?;
    if args.json {
        return print_json(&report);
    }
    said!("{:40} {:>8} {:>8} {:>7} {:>8} {:>7} {:>6}", "", "peak", "body", "crest", "LUFS", "most", "works");
    for row in std::iter::once(&report["original"]).chain(report["variants"].as_array().into_iter().flatten()) {
        let figure = |name: &str| row[name].as_f64().unwrap_or(f64::NAN);
        said!(
            "{:40} {:8.2} {:8.2} {:7.2} {:8.2} {:7.2} {:5.0}%",
            row["name"].as_str().unwrap_or("original"),
            figure("peak_db"),
            figure("body_db"),
            figure("crest_db"),
            figure("loudness_lufs"),
            figure("reduction_most_db"),
            100.0 * figure("reduction_share"),
        );
    }
    said!("\nPassage: {:.2} s.", part.seconds());
    Ok(())
}
