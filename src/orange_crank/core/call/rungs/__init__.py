"""The rungs of a call, one file each: gates, entry, verdict, next step."""
