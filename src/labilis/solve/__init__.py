"""Factorisation back ends, strength run, modes. Works on matrices and arrays of `mechanics`;
knows no names."""
