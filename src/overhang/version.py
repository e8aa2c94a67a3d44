"""The version, in a module that imports nothing."""

VERSION = "0.1.0"
