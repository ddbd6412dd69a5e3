"""Solid elements of any shape: residual and tangent of the total Lagrangian formulation, written
once.

Virtual work with Green-Lagrange strain E = (FᵀF - I)/2 and second Piola-Kirchhoff stress S = D:E +
S0 gives

    r = ∫ Bᵀ S dV,    K_T = ∫ Bᵀ D B dV + ∫ (∇N S ∇Nᵀ) ⊗ 1 dV

(Bathe, Finite Element Procedures, 1996, section 6.2). At the undeformed shape the first part is the
stiffness K_0 and the second, with the stresses of the linear solution, the geometric stiffness K_G.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from labilis.mechanics.solid_families import family

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

CHUNK = 8192  # elements worked on at a time, so that intermediate arrays stay in a few hundred MB
_PAIRS = ((0, 0), (1, 1), (2, 2), (0, 1), (1, 2), (2, 0))


@dataclass(frozen=True)
class SolidGeometry:
    """Gradients at quadrature points of undeformed elements.

    elements (m, n) node numbers; gradient (m, g, n, 3) of shape functions to X, 1/mm; weight (m, g)
    mm³."""

    elements: Ints
    gradient: Floats
    weight: Floats


def geometry(nodes: Floats, elements: Ints) -> SolidGeometry:
    """Gradients and weights of elements (m, n), of a family told by n, on nodes (k, 3) mm.

    Raises ValueError for an element whose volume is not positive at a quadrature point.
    """
    kind = family(elements.shape[1])
    natural, weights = kind.gradient, kind.weights
    jacobian = np.einsum("gna,mnx->mgax", natural, nodes[elements], optimize=True)
    determinant = np.linalg.det(jacobian)
    if (determinant <= 0).any():
        raise ValueError(f"{int((determinant <= 0).any(axis=1).sum())} elements are inside out")
    gradient = np.einsum("mgxa,gna->mgnx", np.linalg.inv(jacobian), natural, optimize=True)
    return SolidGeometry(elements, gradient, determinant * weights)


def deformation_gradient(gradient: Floats, displacement: Floats) -> Floats:
    """F (m, g, 3, 3) from gradients (m, g, n, 3) and element displacements (m, n, 3)."""
    return np.eye(3) + np.swapaxes(displacement, 1, 2)[:, None] @ gradient


def green_strain(f: Floats) -> Floats:
    """Green-Lagrange strain (..., 6) with engineering shears from F (..., 3, 3)."""
    c = np.swapaxes(f, -1, -2) @ f
    return np.stack(
        [(c[..., i, j] - (i == j)) * (0.5 if i == j else 1.0) for i, j in _PAIRS], axis=-1
    )


def strain_matrix(gradient: Floats, f: Floats) -> Floats:
    """B (m, g, 6, 3n): variation of the Green-Lagrange strain with nodal displacements at
    deformation F."""
    m, g, n, _ = gradient.shape
    b = np.empty((m, g, 6, n, 3))
    for row, (i, j) in enumerate(_PAIRS):
        b[:, :, row] = gradient[..., i, None] * f[:, :, None, :, j]
        if i != j:
            b[:, :, row] += gradient[..., j, None] * f[:, :, None, :, i]
    return b.reshape(m, g, 6, 3 * n)


def stress_tensor(stress: Floats) -> Floats:
    """Voigt stresses (..., 6) as matrices (..., 3, 3)."""
    xx, yy, zz, xy, yz, zx = np.moveaxis(stress, -1, 0)
    return np.stack(
        [np.stack([xx, xy, zx], -1), np.stack([xy, yy, yz], -1), np.stack([zx, yz, zz], -1)], -2
    )


def geometric_block(gradient: Floats, weight: Floats, stress: Floats) -> Floats:
    """∫ ∇N S ∇Nᵀ dV (m, n, n); the stress part of the tangent is this, times the unit matrix for
    x, y, z."""
    m, g, n, _ = gradient.shape
    weighted = (gradient @ stress_tensor(stress)) * weight[..., None, None]
    left = np.swapaxes(weighted, 1, 2).reshape(m, n, 3 * g)
    right = np.swapaxes(gradient, 1, 2).reshape(m, n, 3 * g)
    return left @ np.swapaxes(right, 1, 2)


def on_each_axis(block: Floats) -> Floats:
    """(m, n, n) times the unit matrix of x, y, z: (m, 3n, 3n)."""
    m, n, _ = block.shape
    full = np.zeros((m, n, 3, n, 3))
    for axis in range(3):
        full[:, :, axis, :, axis] = block
    return full.reshape(m, 3 * n, 3 * n)


def residual_and_tangent(
    gradient: Floats,
    weight: Floats,
    displacement: Floats,
    elasticity: Floats,
    initial_stress: Floats | None = None,
) -> tuple[Floats, Floats]:
    """Internal forces (m, 3n) N and their exact derivative (m, 3n, 3n) N/mm.

    `displacement` (m, n, 3) mm, `elasticity` (6, 6) MPa, `initial_stress` (m, g, 6) MPa present
    without deformation."""
    f = deformation_gradient(gradient, displacement)
    stress = green_strain(f) @ elasticity
    if initial_stress is not None:
        stress = stress + initial_stress
    b = strain_matrix(gradient, f)
    residual = np.einsum("mgsi,mgs,mg->mi", b, stress, weight, optimize=True)
    return residual, material_part(b, weight, elasticity) + on_each_axis(
        geometric_block(gradient, weight, stress)
    )


def material_part(b: Floats, weight: Floats, elasticity: Floats) -> Floats:
    """∫ Bᵀ D B dV (m, 3n, 3n) from B (m, g, 6, 3n)."""
    m, g, _, columns = b.shape
    weighted = (elasticity @ b) * weight[..., None, None]
    return np.swapaxes(b.reshape(m, 6 * g, columns), 1, 2) @ weighted.reshape(m, 6 * g, columns)


def strain_matrix_at_rest(gradient: Floats) -> Floats:
    """`strain_matrix` at F = 1, where most of it is zero."""
    m, g, n, _ = gradient.shape
    b = np.zeros((m, g, 6, n, 3))
    for row, (i, j) in enumerate(_PAIRS):
        b[:, :, row, :, i] = gradient[..., j]
        if i != j:
            b[:, :, row, :, j] = gradient[..., i]
    return b.reshape(m, g, 6, 3 * n)


def stiffness(gradient: Floats, weight: Floats, elasticity: Floats) -> Floats:
    """K_0 (m, 3n, 3n): the tangent at the undeformed, stress-free shape."""
    return material_part(strain_matrix_at_rest(gradient), weight, elasticity)


def path_derivative(
    gradient: Floats, weight: Floats, displacement: Floats, elasticity: Floats
) -> Floats:
    """Derivative (m, 3n, 3n) of the tangent along the straight path lambda u, at lambda = 0.

    It holds the geometric stiffness of the linear stresses and, on top of it, what the deflection
    itself changes: B(lambda) = B_0 + lambda B_1 with B_1 linear in the displacement gradient.
    """
    rest = strain_matrix_at_rest(gradient)
    h = np.swapaxes(displacement, 1, 2)[:, None] @ gradient
    m, g, _, columns = rest.shape
    first = strain_matrix(gradient, h).reshape(m, 6 * g, columns)
    weighted = ((elasticity @ rest) * weight[..., None, None]).reshape(m, 6 * g, columns)
    cross = np.swapaxes(first, 1, 2) @ weighted
    stress = linear_stress(gradient, displacement, elasticity)
    return (
        cross + np.swapaxes(cross, 1, 2) + on_each_axis(geometric_block(gradient, weight, stress))
    )


def linear_stress(gradient: Floats, displacement: Floats, elasticity: Floats) -> Floats:
    """Stress (m, g, 6) MPa of the linear solution: D times the small strain."""
    h = np.swapaxes(displacement, 1, 2)[:, None] @ gradient
    strain = np.stack(
        [h[..., i, i] if i == j else h[..., i, j] + h[..., j, i] for i, j in _PAIRS], axis=-1
    )
    return strain @ elasticity


def chunks(count: int) -> list[slice]:
    """Slices of at most CHUNK elements."""
    return [slice(start, min(start + CHUNK, count)) for start in range(0, count, CHUNK)]
