//! Who asks for a change.

/// Who asks for a change, and what they know.
#[derive(Clone, Debug, Default)]
pub struct Requester {
    /// Version of the document they have.
    pub version: i32,
    /// The window they work in; empty where it does not matter.
    pub window: String,
    /// Name of the request, the same when it is sent again; empty for none.
    pub ident: String,
}
