//! Which sound a source is, what it is made of, and what it is called.

use zinc_core::render::Source;
use zinc_core::render::plan::own_sound;
use zinc_core::session::Session;

/// A strip whose rack does nothing to what enters it is its own print.
pub fn resolve(session: &Session, source: &Source) -> Source {
    let Source::Racked { strip } = source else { return source.clone() };
    let Some(found) = session.strip(*strip) else { return source.clone() };
    let idle = found.rack.units.iter().all(|u| !u.works_at_all());
    if idle && found.enters_unchanged() { own_sound(session, found) } else { source.clone() }
}

/// What a source's strip is called.
pub fn name_of(session: &Session, source: &Source) -> String {
    let (Source::Raw { strip } | Source::Racked { strip } | Source::Into { strip, .. }) = source;
    session.strip(*strip).map(|s| s.name.clone()).unwrap_or_default()
}
