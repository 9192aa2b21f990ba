//! Total reduction along the path of a strip: its own rack, the buses it feeds, the main.

use serde_json::{Value as Json, json};
use zinc_core::measure::treatment::Treatment;
use zinc_core::session::{Session, Strip};

use super::figures::Figures;
use super::work::Work;
use crate::jobs::JobError;

/// Tenths of a dB from which something counts as taken.
const WORKING: u32 = 5;
/// Magnitude, full scale 1000, under which the part is silent for a moment.
const SILENT: i16 = 3;

/// What is taken away along paths.
pub struct PathReduction<'a>(pub Work<'a>);

impl PathReduction<'_> {
    /// What each rack on the way of a strip takes away while the strip sounds, in dB on the mean and
    /// at most, and all together.
    ///
    /// # Errors
    /// As [`Figures::treatment`].
    pub fn of(&self, id: u32) -> Result<Json, JobError> {
        let (session, figures) = (self.0.session, Figures(self.0));
        let mut path = path_of(session, id).into_iter();
        let first = path.next().ok_or_else(|| JobError::Failed(format!("There is no strip {id} in this session.")))?;
        let treatment = figures.treatment(first.id)?;
        let sounds = |at: usize| {
            let pairs = &treatment.points[0].overview;
            pairs.get(at).is_some_and(|[low, high]| low.abs().max(*high) > SILENT)
        };
        let heard: Vec<usize> = (0..treatment.points[0].overview.len()).filter(|at| sounds(*at)).collect();
        let mut total = vec![0u32; heard.len()];
        let mut rows = Vec::new();
        let mut add = |strip: &Strip, treatment: &Treatment| {
            let at: Vec<u32> = heard.iter().map(|at| taken_at(treatment, *at)).collect();
            total.iter_mut().zip(&at).for_each(|(sum, one)| *sum += one);
            if at.iter().any(|tenths| *tenths >= WORKING) {
                rows.push(row(&strip.name, &at));
            }
        };
        add(first, &treatment);
        for strip in path {
            let has_dynamics = strip.rack.units.iter().any(|unit| unit.is_on() && unit.kind.reduces);
            if has_dynamics {
                add(strip, &figures.treatment(strip.id)?);
            }
        }
        Ok(json!({ "paths": rows, "total": row("", &total) }))
    }
}

/// A strip and all it goes through to the end.
fn path_of(session: &Session, id: u32) -> Vec<&Strip> {
    let mut path: Vec<&Strip> = Vec::new();
    let mut at = session.strip(id);
    while let Some(strip) = at.filter(|strip| path.iter().all(|s| s.id != strip.id)) {
        path.push(strip);
        at = strip.feeds.and_then(|to| session.strip(to));
    }
    path
}

/// Tenths of a dB that all units of a rack take away at one stretch.
fn taken_at(treatment: &Treatment, at: usize) -> u32 {
    treatment.reductions.iter().map(|unit| unit.trace.get(at).map_or(0, |tenths| u32::from(*tenths))).sum()
}

fn row(name: &str, tenths: &[u32]) -> Json {
    let mean = f64::from(tenths.iter().sum::<u32>()) / (10 * tenths.len().max(1)) as f64;
    let most = f64::from(tenths.iter().copied().max().unwrap_or(0)) / 10.0;
    json!({ "name": name, "mean_db": mean, "most_db": most })
}
