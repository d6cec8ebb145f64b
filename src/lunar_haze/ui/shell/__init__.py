"""The window itself: header, menu, keys, adding, sheets, and what ties the rooms together."""
