"""Change: two states of a network compared, a change rehearsed, findings mended, and a history looked back on."""
