"""From results to text in some format. Nothing here prints, or looks at the terminal: width and style are arguments."""
