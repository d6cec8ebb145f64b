"""The ground of the window: theme, wells, chips, popups, what a text or a drawing is kept by. It knows no document."""
