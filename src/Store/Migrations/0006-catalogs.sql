-- What both copies of a trial hold: tables, indexes, sizes and statistics, as JSON.
ALTER TABLE trial ADD COLUMN catalogs TEXT;
