"""The share rail: a card for each source."""
