"""The version, in a module that imports nothing."""

VERSION = "1.0.0"
