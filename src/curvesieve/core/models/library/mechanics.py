"""Hardening, creep, rubber and contact: stress against strain unless the description says otherwise."""

from __future__ import annotations

from curvesieve.core.models.term import Derived, Parameter, Term

_GROUP = "Mechanics"
_STRENGTH = Parameter("strength", "stress at a plastic strain of 1", lower=0.0)
_HARDENING = Parameter("hardening", "hardening exponent", 0.0, 2.0, 0.2)
_YIELD = Parameter("yield_stress", "stress at which plastic strain begins", lower=0.0)
_STRETCH = "l = 1 + x\n"
_ENGINEERING = "Engineering stress of uniaxial tension against engineering strain as a plain number"

TERMS = (
    Term(
        "ramberg-osgood", "Ramberg–Osgood", "law", "x/modulus + 0.002*(x/proof_stress)^exponent",
        (Parameter("modulus", "modulus of elasticity", lower=0.0),
         Parameter("proof_stress", "stress at 0.2 % plastic strain", lower=0.0),
         Parameter("exponent", "large for a sharp knee", 1.0, 200.0, 8.0)),
        "W. Ramberg and W. R. Osgood, NACA TN 902 (1943), in the form with the 0.2 % stress (from memory)", _GROUP,
        description="Strain (as a plain number) against stress",
    ),
    Term(
        "hollomon", "Hollomon", "law", "strength*x^hardening", (_STRENGTH, _HARDENING),
        "J. H. Hollomon, Trans. AIME 162 (1945) 268 (from memory)", _GROUP, "True stress against plastic strain",
    ),
    Term(
        "ludwik", "Ludwik", "law", "yield_stress + strength*x^hardening", (_YIELD, _STRENGTH, _HARDENING),
        "P. Ludwik 1909 (from memory)", _GROUP, "True stress against plastic strain", contains=("hollomon",),
    ),
    Term(
        "voce", "Voce", "law", "saturation - (saturation - yield_stress)*exp(-x/strain)",
        (Parameter("saturation", "stress that hardening approaches", lower=0.0), _YIELD,
         Parameter("strain", "plastic strain in which it comes 1/e closer", lower=0.0)),
        "E. Voce, J. Inst. Met. 74 (1948) 537 (from memory)", _GROUP, "True stress against plastic strain",
    ),
    Term(
        "swift", "Swift", "law", "strength*(prestrain + x)^hardening",
        (_STRENGTH, Parameter("prestrain", "strain before the test", lower=0.0), _HARDENING),
        "H. W. Swift, J. Mech. Phys. Solids 1 (1952) 1 (from memory)", _GROUP, "True stress against plastic strain",
        contains=("hollomon",),
    ),
    Term(
        "norton", "Norton creep", "law", "factor*x^exponent",
        (Parameter("factor", "creep rate at a stress of 1", lower=0.0),
         Parameter("exponent", "creep exponent", 0.5, 30.0, 4.0)),
        "F. H. Norton 1929 (from memory)", _GROUP, "Steady creep rate against stress",
    ),
    Term(
        "neo-hookean", "Neo-Hookean", "law", _STRETCH + "shear_modulus*(l - l^(-2))",
        (Parameter("shear_modulus", "shear modulus at small strain", lower=0.0, unit=(0, 1)),),
        "R. S. Rivlin 1948; incompressible, uniaxial (from memory)", _GROUP, _ENGINEERING,
    ),
    Term(
        "mooney-rivlin", "Mooney–Rivlin", "law", _STRETCH + "2*(c1 + c2/l)*(l - l^(-2))",
        (Parameter("c1", "first constant", unit=(0, 1)), Parameter("c2", "second constant", unit=(0, 1))),
        "M. Mooney 1940; R. S. Rivlin 1948; incompressible, uniaxial (from memory)", _GROUP, _ENGINEERING,
        derived=(Derived("shear_modulus", "2*(c1 + c2)", "at small strain"),), contains=("neo-hookean",),
    ),
    Term(
        "ogden", "Ogden, one term", "law",
        _STRETCH + "2*shear_modulus/exponent*(l^(exponent - 1) - l^(-exponent/2 - 1))",
        (Parameter("shear_modulus", "shear modulus at small strain", lower=0.0, unit=(0, 1)),
         Parameter("exponent", "2 is the neo-Hookean solid", 0.05, 50.0, 3.0, unit=(0, 0))),
        "R. W. Ogden, Proc. R. Soc. A 326 (1972) 565, with μ the shear modulus; incompressible, uniaxial "
        "(from memory)", _GROUP, _ENGINEERING, contains=("neo-hookean",),
    ),
    Term(
        "hertz", "Hertz contact", "law", "stiffness*where(x > contact, abs(x - contact), 0)^1.5",
        (Parameter("stiffness", "4/3 · reduced modulus · √radius", lower=0.0),
         Parameter("contact", "x at which the sphere touches")),
        "H. Hertz 1881: F = 4/3·E*·√R·δ^1.5 (from memory)", _GROUP, "Force against displacement of a sphere",
    ),
)  # fmt: skip
