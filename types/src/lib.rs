//! What crosses from the core to the page, declared in the page's language.
//!
//! The core's own types are written out by ts-rs; only what has no type in the core (a unit's parameters, whose tables
//! differ by kind) is said here. `./zinc types` writes the file that is committed; a test holds it to this.
#![forbid(unsafe_code)]

mod parameters;

pub use parameters::parameters;

use ts_rs::{Config, TS};
use zinc_core::{advice, course, live, measure, rack, render, session, trial, unit};

/// What is no type of the core.
const BY_HAND: &str = "\
/** Values by name, groups as objects, lists of rows as arrays: what a kind's tables say. */
export type Params = Record<string, any>;
/** A rack as in a file. */
export type Rack = { zinc_rack: number, units: Unit[] };
/** A session in full. */
export type Session = Frame & { strips: Strip[], notebook: Notebook };
";

/// All declarations, in the order of the layers.
#[must_use]
pub fn declarations() -> String {
    let config = Config::default().with_large_int("number");
    let mut all = String::from("// Written by ./zinc types from the core's own types.\n");
    macro_rules! declare {
        ($($of:ty),* $(,)?) => {
            $(
                all.push_str("export ");
                all.push_str(&<$of as TS>::decl(&config));
                all.push('\n');
            )*
        };
    }
    declare!(
        unit::Param,
        unit::Change,
        unit::param::Rows,
        unit::Domain,
        unit::param::Choice,
        unit::Taper,
        unit::param::Quantity,
        unit::kind::Described,
        unit::value::Written,
        unit::value::WrittenField,
        course::Then,
        course::json::WrittenPoint,
        course::json::WrittenHere,
        course::json::WrittenCourse<'_>,
        rack::key::KeyTap,
        rack::Follow,
        rack::spec::WrittenUnit<'_>,
        session::Family,
        session::Part,
        session::AudioRef,
        session::AuxSend,
        session::Section,
        session::SectionChange,
        session::document::WrittenStrip<'_>,
        session::document::WrittenFrame<'_>,
        session::notebook::Candidate,
        session::notebook::UnitRef,
        session::notebook::UnitSet,
        session::notebook::Entry,
        session::Notebook,
        session::Edit,
        session::edit::About,
        session::edit::Reach,
        session::Facts,
        session::window::Told,
        render::graph::UnitBlock,
        render::graph::Block,
        render::graph::Arrow,
        render::graph::Graph,
        measure::treatment::PointFigures,
        measure::treatment::ReductionFigures,
        measure::treatment::MoveFigures,
        measure::treatment::Treatment,
        measure::rings::Ring,
        measure::floor::Hum,
        measure::floor::Cut,
        measure::floor::Floor,
        measure::moments::Moments,
        measure::raw::Guess,
        measure::raw::Raw,
        measure::decay::Decay,
        advice::first::FirstMove,
        advice::pairs::Pair,
        advice::curve::DifferenceCurve,
        advice::fit::Fit,
        advice::usual::AgainstUsual,
        trial::hit::Hit,
        trial::take::Figures,
        live::report::Named,
    );
    all + BY_HAND
}
