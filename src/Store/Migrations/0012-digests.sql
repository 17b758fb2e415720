-- What a capture file held as far as it was read: a digest of its first 4, 8, 16, ... KiB, 16 bytes each, and of all of it. Empty where it was read before this was kept.
ALTER TABLE capture_file ADD COLUMN digests BLOB NOT NULL DEFAULT x'';
-- When its first and its last statement ended, in ticks; null where there was none.
ALTER TABLE capture_file ADD COLUMN first_at INTEGER;
ALTER TABLE capture_file ADD COLUMN last_at INTEGER;
