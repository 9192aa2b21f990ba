//! Which sound a source is, what it is made of, and what it is called.

use zinc_core::render::plan::own_sound;
use zinc_core::render::{Plan, Source};
use zinc_core::session::{Role, Session};

/// A strip whose rack does nothing to what enters it is its own print.
pub fn resolve(session: &Session, source: &Source) -> Source {
    let Source::Racked { strip } = source else { return source.clone() };
    let Some(found) = session.strip(*strip) else { return source.clone() };
    let idle = found.rack.units.iter().all(|u| !u.works_at_all());
    if idle && found.enters_unchanged() { own_sound(session, found) } else { source.clone() }
}

/// The tracks that a source needs printed, each once.
pub fn collect_tracks(session: &Session, source: &Source, out: &mut Vec<Source>) {
    let is_track = |strip: &u32| session.strip(*strip).is_some_and(|s| matches!(s.role, Role::Track(_)));
    if matches!(source, Source::Racked { strip } if is_track(strip)) && !out.contains(source) {
        out.push(source.clone());
    }
    if let Some(plan) = Plan::of_source(session, source) {
        plan.lanes().for_each(|(_, source)| collect_tracks(session, source, out));
    }
}

/// What a source's strip is called.
pub fn name_of(session: &Session, source: &Source) -> String {
    let (Source::Raw { strip } | Source::Racked { strip } | Source::Into { strip, .. }) = source;
    session.strip(*strip).map(|s| s.name.clone()).unwrap_or_default()
}
