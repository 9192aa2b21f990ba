DROP TABLE sounds;
