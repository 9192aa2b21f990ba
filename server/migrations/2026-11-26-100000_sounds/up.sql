-- Which payloads were brought in as sounds of units (responses) and not as tracks.
CREATE TABLE sounds (
    hash TEXT PRIMARY KEY NOT NULL REFERENCES audio (hash)
);
