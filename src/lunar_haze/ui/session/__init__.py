"""The document at hand: history, journal, what is chosen, files and work aside. It knows nothing of the picture."""
