//! What the units of a session need of it: the tempo, where the sections lie, and the sounds they name: which they are,
//! where they go, which are missing.

use std::sync::Arc;

use super::document::Session;
use super::routing::upstream_sound;
use crate::course::Span;
use crate::rack::RackSpec;
use crate::unit::sound::{SoundId, Sounds};

impl Session {
    /// The sounds its units name.
    pub fn named_sounds(&self) -> impl Iterator<Item = SoundId> {
        self.strips.iter().flat_map(|strip| strip.rack.sounds())
    }

    /// Gives its units the tempo, the sections and the sounds they name, of those at hand. Edits and comparisons
    /// do so by themselves.
    pub fn supply(&mut self) {
        let spans = self.spans();
        let Self { strips, sounds, tempo_bpm, .. } = self;
        for strip in strips {
            strip.courses.supply(&spans);
            supply(&mut strip.rack, sounds, *tempo_bpm, &spans);
        }
    }

    /// The same for a rack that is to be heard in its place.
    pub fn supply_rack(&self, rack: &mut RackSpec) {
        supply(rack, &self.sounds, self.tempo_bpm, &self.spans());
    }

    /// Where its sections lie.
    pub(super) fn spans(&self) -> Arc<[Span]> {
        self.sections.iter().map(|s| Span { section: s.id, start: s.start, end: s.end }).collect()
    }

    /// Takes sounds to hand in place of those before, and gives them to its units.
    pub fn supply_with(&mut self, sounds: Sounds) {
        self.sounds = sounds;
        self.supply();
    }

    /// Says which units do nothing to the sound of a strip because a sound they name is missing;
    /// none where all are there.
    #[must_use]
    pub fn missing_sounds(&self, strip: u32) -> Option<String> {
        let heard = upstream_sound(self, strip);
        let strips = self.strips.iter().filter(|s| heard.contains(&s.id));
        let missing = strips.flat_map(|s| {
            let units = s.rack.units.iter().filter(|u| u.is_on() && !u.works());
            units.map(|u| format!("{} on \"{}\"", u.kind.name, s.name))
        });
        let list = missing.collect::<Vec<_>>().join(", ");
        (!list.is_empty()).then(|| {
            format!("The sound named here is missing, so that it passes its input: {list}. Bring the file in again.")
        })
    }
}

fn supply(rack: &mut RackSpec, sounds: &Sounds, tempo_bpm: f64, spans: &Arc<[Span]>) {
    rack.supply(sounds);
    for unit in &mut rack.units {
        unit.settings.tempo_bpm = tempo_bpm;
        unit.courses.supply(spans);
    }
}
