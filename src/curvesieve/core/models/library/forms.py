"""What scatters, by itself: form factors and laws of intensity against q, as declarations.

A *form* with a volume gives ⟨F²⟩/⟨norm⟩, which is 1 at q = 0 where the norm is what it scatters there; one without an
integral is a formula. x is q = 4π·sin(θ)/λ. Sums, sizes and what is between particles are put together in `scattering`.
"""

from __future__ import annotations

from dataclasses import dataclass

from curvesieve.core.models.integrals import Average
from curvesieve.core.models.term import Derived, Parameter

_FORWARD = Parameter("forward", "intensity at q = 0, I(0), without background", start=1.0)
RADIUS = Parameter("radius", "radius of the sphere; of many, the mean by number", lower=0.0, start=5.0)
_RG = Parameter("rg", "radius of gyration Rg", lower=0.0, start=5.0)


@dataclass(frozen=True)
class Form:
    """One form: `formula` in x, parameters and, where it has an average, ``form``.

    `size` is the parameter that may have a distribution. `first` says which of the parameters a radius of gyration is
    nearest to, and how many times it: the start. `squared_rg` is Rg² as a formula, for one size.
    """

    slug: str
    label: str
    formula: str
    parameters: tuple[Parameter, ...]
    reference: str
    description: str = ""
    average: Average | None = None
    first: tuple[str, float] = ("", 1.0)
    squared_rg: str = ""
    amount: str = "forward"
    derived: tuple[Derived, ...] = ()

    @property
    def size(self) -> str:
        """The parameter that may have a distribution; empty where none may."""
        return self.average.size if self.average is not None else ""


_VOLUME = "(4/3*pi*radius^3)"
_CYLINDER = "(pi*radius^2*length)"
_DISC = "(pi*radius^2*thickness)"
_TURNED = "sinc(x*{long}*turn/2)*jinc(x*radius*sqrt(1 - turn^2))"
_PARTICLE = "forward*form"
_POLYMER = "forward*form"
_CHAIN = "8*(1 - turn^4)*turn^3*exp(-(x*rg)^2*{factor}*turn^{power})"
_EXPONENT = Parameter("exponent", "power that the intensity falls with", 0.5, 6.0, 4.0)


def _levels(count: int) -> Form:
    """Levels of structure, the smallest first: each a Guinier part and a power law that ends where the next begins."""
    parts, parameters = [], []
    for i in range(1, count + 1):
        cut = f"exp(-(x*rg{i - 1})^2/3)*" if i > 1 else ""
        parts.append(f"guinier{i}*exp(-(x*rg{i})^2/3) + porod{i}*{cut}(erf(x*rg{i}/sqrt(6))^3/x)^exponent{i}")
        parameters += [
            Parameter(f"guinier{i}", f"intensity at q = 0 of level {i}", start=10.0 ** (i - 1)),
            Parameter(f"rg{i}", f"radius of gyration of level {i}" + (" (the smallest)" if i == 1 < count else ""),
                      lower=0.0, start=2.0 * 6.0 ** (i - 1)),
            Parameter(f"porod{i}", f"factor of the power law of level {i}", start=0.1),
            Parameter(f"exponent{i}", f"exponent of the power law of level {i}", 0.5, 6.0, 4.0 if i == 1 else 3.0),
        ]  # fmt: skip
    return Form(
        f"levels-{count}", f"Guinier and Porod, {count} level{'s' * (count > 1)}", " + ".join(parts), tuple(parameters),
        "G. Beaucage, J. Appl. Cryst. 28 (1995) 717 (from memory)",
        "Structures within structures, each a size and a slope",
        first=("rg1", 1.0), amount="guinier1",
    )  # fmt: skip


FORMS: dict[str, Form] = {
    form.slug: form
    for form in (
        Form(
            "sphere", "Sphere", _PARTICLE, (_FORWARD, RADIUS),
            "Lord Rayleigh, Proc. R. Soc. A 84 (1911) 25 (from memory); zeros at qR = 4.4934, 7.7253, 10.9041",
            "Solid particles, pores, drops: radius, and how much the radii spread",
            Average(f"({_VOLUME}*ball(x*radius))^2", f"{_VOLUME}^2", "radius", shown="ball(x*radius)^2"),
            ("radius", 1.291), "3/5*radius^2",
        ),
        Form(
            "core-shell-sphere", "Core–shell sphere", _PARTICLE,
            (Parameter("forward", "intensity at q = 0 that the core would have alone"),
             Parameter("radius", "radius of the core; of many, the mean by number", lower=0.0, start=5.0),
             Parameter("shell", "thickness of the shell", lower=0.0, start=1.0),
             Parameter("contrast", "contrast of the shell over that of the core, both against what is around",
                       start=0.5)),
            "sum of two spheres' amplitudes; A. Guinier and G. Fournet 1955 (from memory)",
            "Coated particles, micelles, hollow spheres (contrast of the core near 0)",
            Average(
                f"((1 - contrast)*{_VOLUME}*ball(x*radius) + contrast*4/3*pi*(radius + shell)^3"
                "*ball(x*(radius + shell)))^2",
                f"{_VOLUME}^2", "radius",
            ),
            ("radius", 1.0),
        ),
        Form(
            "spheroid", "Spheroid", _PARTICLE,
            (_FORWARD, Parameter("radius", "radius at the equator; of many, the mean by number", lower=0.0, start=5.0),
             Parameter("ratio", "half axis of turning over that radius: above 1 long, below 1 flat", 0.0, start=1.5)),
            "A. Guinier, Ann. Phys. 12 (1939) 161 (from memory), averaged over directions",
            "Ellipsoids of revolution, long or flat",
            Average(f"(ratio*{_VOLUME}*ball(x*radius*sqrt(1 + (ratio^2 - 1)*turn^2)))^2", f"(ratio*{_VOLUME})^2",
                    "radius", turn="turn", even=True, path="2*max(ratio, 1)",
                    turn_path="2*radius*sqrt(abs(ratio^2 - 1))",
                    shown="ball(x*radius*sqrt(1 + (ratio^2 - 1)*turn^2))^2"),
            ("radius", 1.0), "radius^2*(2 + ratio^2)/5",
        ),
        Form(
            "cylinder", "Cylinder", _PARTICLE,
            (_FORWARD, Parameter("radius", "radius of the rod; of many, the mean by number", lower=0.0, start=2.0),
             Parameter("length", "length of the rod", lower=0.0, start=20.0)),
            "G. Fournet, Bull. Soc. fr. Minéral. Crist. 74 (1951) 39 (from memory), averaged over directions",
            "Rods and needles; the radius may spread",
            Average(f"({_CYLINDER}*{_TURNED.format(long='length')})^2", f"{_CYLINDER}^2", "radius",
                    turn="turn", even=True, turn_path="length + 2*radius",
                    shown=f"({_TURNED.format(long='length')})^2"),
            ("length", 3.2), "radius^2/2 + length^2/12",
        ),
        Form(
            "disc", "Disc", _PARTICLE,
            (_FORWARD, Parameter("thickness", "thickness of the disc", lower=0.0, start=2.0),
             Parameter("radius", "radius of the disc; of many, the mean by number", lower=0.0, start=10.0)),
            "a cylinder that is flat, averaged over directions", "Platelets; the radius may spread",
            Average(f"({_DISC}*{_TURNED.format(long='thickness')})^2", f"{_DISC}^2", "radius", turn="turn", even=True,
                    turn_path="thickness + 2*radius", shown=f"({_TURNED.format(long='thickness')})^2"),
            ("radius", 1.4), "radius^2/2 + thickness^2/12",
        ),
        Form(
            "lamella", "Lamella", "factor*form/x^2",
            (Parameter("factor", "I·q² for small q: what a flat sheet scatters across its plane"),
             Parameter("thickness", "thickness of the sheets; of many, the mean by number", lower=0.0, start=3.0)),
            "flat sheets much wider than 1/q, in all directions; common practice",
            "Layers, membranes, clay: I falls as q⁻² before the thickness is felt",
            Average("(thickness*sinc(x*thickness/2))^2", "thickness^2", "thickness", path="1",
                    shown="sinc(x*thickness/2)^2"),
            ("thickness", 3.46), amount="factor",
        ),
        Form(
            "chain", "Gaussian chain", _POLYMER, (_FORWARD, _RG),
            "P. Debye, J. Phys. Colloid Chem. 51 (1947) 18: 2(e⁻ᵘ + u − 1)/u² with u = q²Rg² (from memory)",
            "Flexible polymers in a melt or a theta solvent",
            Average(_CHAIN.format(factor="1", power="4"), turn="turn", least_turns=160), ("rg", 1.0), "rg^2",
        ),
        Form(
            "swollen-chain", "Chain with excluded volume", _POLYMER,
            (_FORWARD, _RG, Parameter("nu", "size goes as length to this: 1/2 ideal, 0.588 swollen", 0.2, 1.0, 0.55)),
            "B. Hammouda, Adv. Polym. Sci. 106 (1993) 87 (from memory): ∫ 2(1 − t)·exp(−q²Rg²(2ν + 1)(2ν + 2)/6·t^2ν)",
            "Polymers in good and bad solvents",
            Average(_CHAIN.format(factor="(2*nu + 1)*(2*nu + 2)/6", power="(8*nu)"), turn="turn", least_turns=160),
            ("rg", 1.0), "rg^2",
        ),
        Form(
            "ornstein-zernike", "Ornstein–Zernike", "forward/(1 + (x*length)^2)",
            (_FORWARD, Parameter("length", "correlation length ξ", lower=0.0, start=5.0)),
            "L. S. Ornstein and F. Zernike 1914: I(0)/(1 + q²ξ²)", "Fluctuations of solutions, gels, near criticality",
            first=("length", 1.73),
        ),
        Form(
            "debye-bueche", "Debye–Bueche", "forward/(1 + (x*length)^2)^2",
            (_FORWARD, Parameter("length", "correlation length", lower=0.0, start=5.0)),
            "P. Debye and A. M. Bueche, J. Appl. Phys. 20 (1949) 518: I(0)/(1 + q²ξ²)² (from memory)",
            "Random two-phase solids with sharp interfaces", first=("length", 2.45),
        ),
        Form(
            "teubner-strey", "Teubner–Strey",
            "k = 2*pi/period\nw = 1/length\n"
            "forward*(k^2 + w^2)^2/((k^2 + w^2)^2 - 2*(k^2 - w^2)*x^2 + x^4)",
            (_FORWARD, Parameter("period", "distance from layer to layer, d", lower=0.0, start=10.0),
             Parameter("length", "correlation length ξ", lower=0.0, start=5.0)),
            "M. Teubner and R. Strey, J. Chem. Phys. 87 (1987) 3195 (from memory)",
            "Microemulsions and other two-phase order with one period", first=("period", 0.5),
        ),
        Form(
            "mass-fractal", "Mass fractal of spheres",
            "z = x*length\nd = dimension\nparts = (length/radius)^d\n"
            "forward*ball(x*radius)^2*(1 + parts*d*gamma(d - 1)*sin((d - 1)*atan(z))/(z*(1 + z^2)^((d - 1)/2)))"
            "/(1 + parts*gamma(d + 1))",
            (_FORWARD, Parameter("radius", "radius of the spheres it is made of", lower=0.0, start=1.0),
             Parameter("dimension", "fractal dimension D", 1.01, 3.0, 2.0),
             Parameter("length", "correlation length ξ of the cluster", lower=0.0, start=20.0)),
            "J. Teixeira, J. Appl. Cryst. 21 (1988) 781 (from memory)", "Aggregates of small spheres",
            first=("length", 1.5),
        ),
        *(_levels(count) for count in (1, 2, 3)),
        Form(
            "slope", "Power law of q", "factor*x^(-exponent)",
            (Parameter("factor", "intensity at q = 1"), _EXPONENT), "Porod's law has the exponent 4; common practice",
            "Surfaces and large structures: a slope on logarithmic axes", amount="factor",
        ),
    )
}  # fmt: skip
