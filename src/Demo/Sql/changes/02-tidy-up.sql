-- Tidy up indexes on trail reports
-- "section_id has an index of its own, so the longer one is redundant." It is not: two statements live on its second
-- column.
DROP INDEX trail_report_section_written;
