"""Speed and memory, measured as multiples of one bare numeric factorisation in the same process."""
