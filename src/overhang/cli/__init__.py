"""The command line: the only place that prints, exits, or looks at the terminal."""
