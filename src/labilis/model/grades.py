"""Ordinary grades, named by what they are, each with the source of its values. Yield strengths are
nominal ones for thin material; check them against your certificate. Own grades are copies with
another name."""

from __future__ import annotations

from labilis.model.statements import Material


def _grade(
    name: str, modulus: str, ratio: str, density: str, yields: str, expansion: str, source: str
) -> Material:
    return Material(
        name=name,
        youngs_modulus=modulus,
        poisson_ratio=ratio,
        density=density,
        yield_strength=yields,
        expansion=expansion,
        source=source,
    )


def _steel(name: str, yields: str, source: str) -> Material:
    return _grade(name, "210 GPa", "0.3", "7850 kg/m^3", yields, "12e-6/K", source)


def _stainless(name: str, yields: str) -> Material:
    return _grade(
        name,
        "200 GPa",
        "0.3",
        "7900 kg/m^3",
        yields,
        "16e-6/K",
        "EN 1993-1-4, table 2.1 (cold rolled strip) and 2.1.3; EN 10088-1",
    )


def _aluminium(name: str, yields: str, source: str) -> Material:
    return _grade(name, "70 GPa", "0.3", "2700 kg/m^3", yields, "23e-6/K", source)


GRADES: tuple[Material, ...] = (
    _steel("structural steel S235", "235 MPa", "EN 1993-1-1, table 3.1 and 3.2.6"),
    _steel("structural steel S275", "275 MPa", "EN 1993-1-1, table 3.1 and 3.2.6"),
    _steel("structural steel S355", "355 MPa", "EN 1993-1-1, table 3.1 and 3.2.6"),
    _steel("galvanised sheet S280GD", "280 MPa", "EN 10346; EN 1993-1-3, table 3.1b"),
    _steel(
        "cold rolled sheet DC01", "140 MPa", "EN 10130, lower yield strength as a cautious value"
    ),
    _stainless("stainless steel 1.4301", "230 MPa"),
    _stainless("stainless steel 1.4404", "240 MPa"),
    _aluminium(
        "aluminium EN AW-6082 T6",
        "250 MPa",
        "EN 1999-1-1, table 3.2b (profiles up to 5 mm) and 3.2.5",
    ),
    _aluminium(
        "aluminium EN AW-6060 T66", "160 MPa", "EN 1999-1-1, table 3.2b (up to 3 mm) and 3.2.5"
    ),
    _aluminium("aluminium EN AW-5754 H24", "160 MPa", "EN 1999-1-1, table 3.2a and 3.2.5"),
    _grade(
        "titanium grade 5",
        "114 GPa",
        "0.34",
        "4430 kg/m^3",
        "828 MPa",
        "8.6e-6/K",
        "ASTM B265; producers' data for modulus and expansion",
    ),
)


def grade(name: str) -> Material | None:
    """A grade by its name, None for an unknown one."""
    return next((item for item in GRADES if item.name == name), None)
