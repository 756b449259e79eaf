"""What the visits to a unit say over the years: its own baseline, forecasts of wear, the fleet."""
