"""The stage: the part in 3D with supports, loads, stress and moving modes. The only place in the
window with VTK."""
