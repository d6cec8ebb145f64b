"""From light to picture: white balance, the night as the eye sees it, glow, vignette, grade, tables, grain."""
