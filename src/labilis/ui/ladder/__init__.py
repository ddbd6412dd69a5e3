"""The factor ladder: everything known about a load case on one logarithmic scale."""
