"""The column of numbers of what is chosen."""
