-- Sections keep their identity when they are renamed or moved.
ALTER TABLE sections ADD COLUMN id INTEGER NOT NULL DEFAULT 0;
UPDATE sections SET id = position + 1;

-- The window a step was made in, so that another does not take it back unawares.
ALTER TABLE journal ADD COLUMN window TEXT NOT NULL DEFAULT '';

-- The latest changes in order, undo and redo among them: what another window has missed, and
-- what was answered already when a request comes a second time.
CREATE TABLE changes (
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    -- Version of the session after the change.
    version INTEGER NOT NULL,
    -- The edit as applied.
    edit TEXT NOT NULL,
    -- Where it was made, and the name the page gave the request; both may be empty.
    window TEXT NOT NULL,
    ident TEXT NOT NULL,
    -- Windows whose change of the same value it came after, separated by spaces.
    overtook TEXT NOT NULL,
    PRIMARY KEY (session_id, version)
);
CREATE INDEX changes_by_ident ON changes (session_id, ident);
