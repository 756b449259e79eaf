"""HTTP over the core and the records: a route translates between HTTP and one call."""
