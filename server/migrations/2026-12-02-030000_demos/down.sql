DROP TABLE demos;
