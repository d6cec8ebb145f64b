"""The place from above."""
