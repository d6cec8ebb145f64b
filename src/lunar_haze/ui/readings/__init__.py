"""What stands beside the picture: readings, reference, variations, markers, pins, painting."""
