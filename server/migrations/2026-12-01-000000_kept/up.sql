-- What of a strip another version has written and this one cannot use, by its name, as JSON; that of a unit is in its body.
ALTER TABLE strips ADD COLUMN kept TEXT NOT NULL DEFAULT '{}';
