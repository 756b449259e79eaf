"""A visit handed over: what is said of it in two voices, what it costs, what was agreed, what comes after."""
