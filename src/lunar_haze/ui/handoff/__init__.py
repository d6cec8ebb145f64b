"""What leaves: stills, sequences, layers, the sky."""
