"""Stand-ins: devices that run on this machine and let people in, each login decided by the same decision."""
