-- Everything but audio payloads. A payload lies on the shelf under its hash.
CREATE TABLE audio (
    hash TEXT PRIMARY KEY NOT NULL,
    name TEXT NOT NULL,
    channels INTEGER NOT NULL CHECK (channels IN (1, 2)),
    rate INTEGER NOT NULL CHECK (rate > 0),
    frames BIGINT NOT NULL CHECK (frames > 0)
);

CREATE TABLE sessions (
    id INTEGER PRIMARY KEY AUTOINCREMENT NOT NULL,
    name TEXT NOT NULL,
    rate INTEGER NOT NULL,
    tempo_bpm DOUBLE NOT NULL,
    beats_per_bar INTEGER NOT NULL,
    next_id INTEGER NOT NULL,
    -- Counts every change; tells a page that its document is older.
    version INTEGER NOT NULL DEFAULT 0,
    -- Journal entries up to this one are applied; later ones were undone.
    journal_at INTEGER NOT NULL DEFAULT 0
);

CREATE TABLE sections (
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    start_frame BIGINT NOT NULL,
    end_frame BIGINT NOT NULL,
    PRIMARY KEY (session_id, position)
);

CREATE TABLE strips (
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    id INTEGER NOT NULL,
    position INTEGER NOT NULL,
    name TEXT NOT NULL,
    family TEXT NOT NULL,
    note TEXT NOT NULL,
    role TEXT NOT NULL,
    audio_hash TEXT REFERENCES audio (hash),
    feeds INTEGER,
    -- Level, pan and mute as JSON, checked by the core's table.
    controls TEXT NOT NULL,
    PRIMARY KEY (session_id, id)
);

CREATE TABLE units (
    session_id INTEGER NOT NULL,
    strip_id INTEGER NOT NULL,
    id INTEGER NOT NULL,
    position INTEGER NOT NULL,
    kind TEXT NOT NULL,
    -- The unit as in a rack file, checked by the core's tables.
    body TEXT NOT NULL,
    PRIMARY KEY (session_id, id),
    FOREIGN KEY (session_id, strip_id) REFERENCES strips (session_id, id) ON DELETE CASCADE
);

CREATE TABLE journal (
    session_id INTEGER NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    seq INTEGER NOT NULL,
    edit TEXT NOT NULL,
    inverse TEXT NOT NULL,
    -- Edits of one gesture on one value are one step of undo.
    gesture TEXT NOT NULL,
    PRIMARY KEY (session_id, seq)
);
