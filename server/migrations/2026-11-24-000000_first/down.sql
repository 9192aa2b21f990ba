DROP TABLE journal;
DROP TABLE units;
DROP TABLE strips;
DROP TABLE sections;
DROP TABLE sessions;
DROP TABLE audio;
