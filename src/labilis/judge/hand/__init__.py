"""Hand checks: one file each, with formula, symbols, source and range."""
from labilis.judge.hand.euler import EndCase, EulerCheck, EulerPlane, euler_check

__all__ = ["EndCase", "EulerCheck", "EulerPlane", "euler_check"]
