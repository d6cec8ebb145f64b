"""Gannet Reach, the demo place: a ferry landing on a salt marsh, built by code alone."""
