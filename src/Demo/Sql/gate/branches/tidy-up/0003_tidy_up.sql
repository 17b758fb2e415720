-- section_id has an index of its own, so the longer one is redundant.
DROP INDEX trail_report_section_written;
