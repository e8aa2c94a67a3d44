"""Overhang audits management access of network devices and simulates which logins succeed."""

__version__ = "0.1.0"
