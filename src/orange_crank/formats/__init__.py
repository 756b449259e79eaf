"""Open formats in and out. Depends on the core only."""
