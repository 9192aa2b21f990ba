-- The edit that brings back what a change removed although another window had just set something of it; else empty.
ALTER TABLE changes ADD COLUMN back TEXT NOT NULL DEFAULT '';
