-- When a session was removed, in seconds since 1970; it lies in the bin from then on. Null for one that is there.
ALTER TABLE sessions ADD COLUMN removed_at BIGINT;
