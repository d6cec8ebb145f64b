"""The picture: what is asked for, mixed and seen, and what lies over it."""
