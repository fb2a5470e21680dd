"""The computer: one Host protocol, and the hosts that keep it — this computer, and a world that stands in."""
