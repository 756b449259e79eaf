"""Calls on record, by subject. It assembles facts and holds no rule: ``core.call`` judges."""
