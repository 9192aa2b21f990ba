-- Which sessions are the demo's, and of which layout of it: a later program makes its own beside them.
CREATE TABLE demos (
    session_id INTEGER PRIMARY KEY NOT NULL REFERENCES sessions (id) ON DELETE CASCADE,
    layout TEXT NOT NULL
);
