ALTER TABLE strips DROP COLUMN over_time;
ALTER TABLE sessions DROP COLUMN points_on_beats;
