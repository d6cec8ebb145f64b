"""What pictures and shares measure, and what causes it. Pure: arrays in, values out."""
