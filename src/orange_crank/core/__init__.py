"""The trade itself: no web, no database, no interface; runs and is tested alone."""
