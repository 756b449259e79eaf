"""Practice: whole calls against a hidden fault, where mistakes have their real consequences."""
