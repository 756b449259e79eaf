"""Handing a call over through the server: cause, cost, yes, papers, tasks, visits, calendar."""
