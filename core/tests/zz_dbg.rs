#![allow(missing_docs)]
mod common;
use common::harmonics::lines_db;
use common::units::unit;
use serde_json::json;
use zinc_core::rack::{Rack, RackSpec};
#[test]
fn dbg() {
    let kind = "console-eq";
    let seed = 64u64;
    let mut u = zinc_core::rack::UnitSpec::new(zinc_core::unit::catalogue::kind(kind).expect("a kind"));
    for (n, param) in u.kind.tables.params.iter().enumerate() {
        let value = common::units::value_by_seed(param, seed.wrapping_mul(31).wrapping_add(17 * n as u64));
        let value = match param.id {
            "auto_level" => json!(false),
            "sides" => json!(0),
            _ => value,
        };
        u = unit(kind, &{
            let mut p = u.to_json()["params"].clone();
            p[param.id] = value;
            p
        });
    }
    println!("{}", u.to_json());
    let freqs = [30.0, 100.0, 400.0, 1500.0, 6000.0, 15_000.0];
    for colour in [-1.0, 0.0, 0.3, 0.5, 1.0] {
        for amp in [1e-3, 1e-4, 1e-5] {
            let mut p = u.to_json()["params"].clone();
            if colour >= 0.0 {
                p["colour"] = json!(colour);
            }
            let spec = RackSpec { units: vec![unit(kind, &p)] };
            let sound = |t: f64| amp * freqs.iter().map(|hz| (std::f64::consts::TAU * hz * t).sin()).sum::<f64>();
            let lines = lines_db(&mut Rack::new(&spec, 48000.0), 48000.0, sound, &freqs);
            let st: Vec<String> = freqs
                .iter()
                .zip(lines)
                .map(|(hz, l)| {
                    format!(
                        "{:.2}",
                        l - 20.0 * f64::log10(amp) - 10.0 * spec.response(48000.0, &[*hz])[0].norm_sqr().log10()
                    )
                })
                .collect();
            println!("{colour} {amp} {st:?}");
        }
    }
}
