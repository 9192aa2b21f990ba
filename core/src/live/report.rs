//! What a player reports, some thirty times a second.
//!
//! On the audio thread nothing may be allocated and text costs too much, so a report crosses to the page as numbers:
//! its fields one after another, a list after its length. [`Report::layout`] names them in that order; whoever reads
//! them reads the names too. Numbers are of double precision: a frame of the song is exact for longer than any song.

use serde::Serialize;

/// What is told of playing, and of the sound around the watched station.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Report {
    /// Frame of the song that is heard now.
    pub position: u64,
    /// Whether it plays.
    pub playing: bool,
    /// Blocks for which sound had not arrived, since play.
    pub starved: u64,
    /// Frames by which the mix is late.
    pub latency: usize,
    /// Momentary loudness in LUFS.
    pub momentary: f32,
    /// True peak in dBTP since play.
    pub true_peak: f32,
    /// Sample peak in dBFS since the last report.
    pub peak: f32,
    /// Reduction in dB now, of the watched station.
    pub reduction: f32,
    /// Which side is heard: 0 the session, 1 the other side, 2 the difference.
    pub side: u8,
    /// Whether another mix is about to take over.
    pub changing: bool,
    /// dB by which the sides differ less than they agree.
    pub width: f32,
    /// Most reduction in dB of the watched station in each block since the last report.
    pub trace: Vec<f32>,
    /// Largest magnitude since the last report by strip: strip, peak, strip, peak.
    pub peaks: Vec<f32>,
    /// The last frames at the watched station's input, both sides averaged.
    pub before: Vec<f32>,
    /// The same at its output.
    pub after: Vec<f32>,
    /// dB by which each row of the watched station moves its gain now.
    pub moves: Vec<f32>,
    /// Momentary loudness in LUFS of what comes into the rack in hand.
    pub rack_in: f32,
    /// The same of what leaves it.
    pub rack_out: f32,
    /// Sample peak in dBFS since the last report at each of its points: what comes in, then behind each station.
    pub levels: Vec<f32>,
    /// Most reduction in dB since the last report of each of its stations.
    pub reductions: Vec<f32>,
}

/// A field, as it is written.
enum Field<'a> {
    Number(f64),
    Switch(bool),
    List(&'a [f32]),
}

/// A field's name and what it is: `number`, `switch` or `list`.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "types", derive(ts_rs::TS), ts(rename = "ReportField"))]
pub struct Named {
    /// Name.
    pub name: &'static str,
    /// How it is written.
    pub is: &'static str,
}

/// How many fields there are.
const FIELDS: usize = 20;

impl Report {
    fn fields(&self) -> [(&'static str, Field<'_>); FIELDS] {
        use Field::{List, Number, Switch};
        [
            ("position", Number(self.position as f64)),
            ("playing", Switch(self.playing)),
            ("starved", Number(self.starved as f64)),
            ("latency", Number(self.latency as f64)),
            ("momentary", Number(self.momentary.into())),
            ("true_peak", Number(self.true_peak.into())),
            ("peak", Number(self.peak.into())),
            ("reduction", Number(self.reduction.into())),
            ("side", Number(self.side.into())),
            ("changing", Switch(self.changing)),
            ("width", Number(self.width.into())),
            ("trace", List(&self.trace)),
            ("peaks", List(&self.peaks)),
            ("before", List(&self.before)),
            ("after", List(&self.after)),
            ("moves", List(&self.moves)),
            ("rack_in", Number(self.rack_in.into())),
            ("rack_out", Number(self.rack_out.into())),
            ("levels", List(&self.levels)),
            ("reductions", List(&self.reductions)),
        ]
    }

    /// The fields in the order in which they are written. The first two are where the song is and whether it plays.
    #[must_use]
    pub fn layout() -> [Named; FIELDS] {
        Self::default().fields().map(|(name, field)| Named {
            name,
            is: match field {
                Field::Number(_) => "number",
                Field::Switch(_) => "switch",
                Field::List(_) => "list",
            },
        })
    }

    /// Writes all fields in place of what `out` held; allocates nothing once it is long enough.
    pub fn write(&self, out: &mut Vec<f64>) {
        out.clear();
        for (_, field) in self.fields() {
            match field {
                Field::Number(number) => out.push(number),
                Field::Switch(on) => out.push(f64::from(u8::from(on))),
                Field::List(list) => {
                    out.push(list.len() as f64);
                    out.extend(list.iter().map(|x| f64::from(*x)));
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_report_is_written_in_the_order_of_its_layout_and_a_frame_beyond_what_single_precision_holds_is_exact() {
        let position = (1 << 24) + 1;
        let report = Report { position, playing: true, trace: vec![1.5, 2.5], moves: vec![-4.0], ..Report::default() };
        let mut out = Vec::new();
        report.write(&mut out);
        let (mut at, mut found) = (0, Vec::new());
        for Named { name, is } in Report::layout() {
            let length = if is == "list" { out[at] as usize } else { 0 };
            found.push((name, out[at], out[at + 1..=at + length].to_vec()));
            at += 1 + length;
        }
        assert_eq!(at, out.len());
        let of = |name: &str| found.iter().find(|(n, ..)| *n == name).unwrap().clone();
        assert_eq!(of("position").1, 16_777_217.0);
        assert_eq!(of("playing").1, 1.0);
        assert_eq!((of("trace").2, of("moves").2), (vec![1.5, 2.5], vec![-4.0]));
        assert_eq!((Report::layout()[0].name, Report::layout()[1].name), ("position", "playing"));
    }
}
