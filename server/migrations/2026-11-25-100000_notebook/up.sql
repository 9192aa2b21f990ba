-- What is kept beside the sound: partners, candidates, sets of units, steps done
-- (JSON of the core).
ALTER TABLE sessions ADD COLUMN notebook TEXT NOT NULL DEFAULT '{}';
