"""Element equations, material laws, ties, loads and assembly. Arrays in, arrays out; N, mm, MPa,
tonne.

Knows no files and no pieces' names. Total Lagrangian: Green-Lagrange strain, second Piola-Kirchhoff
stress. The residual and its tangent are written once (`solid.residual_and_tangent`); strength,
modes and trace are uses of them."""
