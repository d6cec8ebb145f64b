"""Hours and frames: the strips, the player, pictures of other frames."""
