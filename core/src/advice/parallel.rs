//! A return beside a strip, off until it is raised.

use crate::rack::RackSpec;
use crate::rack::UnitSpec;
use crate::unit::value::Written;

use crate::session::controls::OFF_DB;
use crate::session::document::AuxSend;
use crate::session::{Edit, Role, Session, Strip};

/// Most letters of a name.
const NAME: usize = 80;

/// The return of this name that a strip is sent to already.
#[must_use]
pub fn there(session: &Session, strip: u32, what: &str) -> Option<u32> {
    let source = session.strip(strip)?;
    let name = name_of(source, what);
    source.sends.iter().map(|send| send.to).find(|to| session.strip(*to).is_some_and(|path| path.name == name))
}

fn name_of(source: &Strip, what: &str) -> String {
    format!("{} {what}", source.name).chars().take(NAME).collect()
}

/// A new return beside a strip with some units, sent to at full level and silent until it is raised;
/// one change. `what` follows the strip's name. None for the main and for what is not there.
#[must_use]
pub fn beside(session: &Session, strip: u32, what: &str, units: Vec<UnitSpec>) -> Option<Edit> {
    let source = session.strip(strip).filter(|s| s.role != Role::Main)?;
    let id = session.next_id;
    let name = name_of(source, what);
    let mut made = Strip::new(id, &name, source.family, Role::Return, source.feeds);
    made.set_control("level_db", &Written::from(OFF_DB)).ok()?;
    made.rack = RackSpec { units };
    let mut sends = source.sends.clone();
    sends.push(AuxSend { to: id, level_db: 0.0, before_fader: false });
    let add = Edit::AddStrip { at: session.strips.len(), strip: Box::new(made) };
    Some(Edit::Several { edits: vec![add, Edit::SetSends { strip, sends }] })
}
