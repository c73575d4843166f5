"""Relaxation, kinetics, growth, adsorption and oscillation."""

from __future__ import annotations

from curvesieve.core.models.term import Derived, Parameter, Term

_COMMON = "common practice"
_GROUP = "Relaxation and kinetics"
_OFFSET = Parameter("offset", "level that is left in the end")
_HALF = "time to half"


def _amplitudes(count: int) -> tuple[Parameter, ...]:
    found = [_OFFSET]
    for i in range(1, count + 1):
        found += [
            Parameter(f"amplitude{i}", f"what decay {i} begins with"),
            Parameter(f"tau{i}", f"relaxation time of decay {i}", lower=0.0),
        ]
    return tuple(found)


def _alike(count: int, size: str) -> tuple[tuple[str, ...], ...]:
    return tuple((f"tau{i}", f"{size}{i}") for i in range(1, count + 1))


def _prony(count: int) -> Term:
    parts = "".join(f" + modulus{i}*exp(-x/tau{i})" for i in range(1, count + 1))
    parameters = [Parameter("modulus_equilibrium", "modulus after a long time", lower=0.0)]
    for i in range(1, count + 1):
        parameters += [
            Parameter(f"modulus{i}", f"modulus of element {i}", lower=0.0),
            Parameter(f"tau{i}", f"relaxation time of element {i}", lower=0.0),
        ]
    total = " + ".join(["modulus_equilibrium", *(f"modulus{i}" for i in range(1, count + 1))])
    return Term(
        f"prony-{count}",
        f"Prony series of {count}",
        "law",
        "modulus_equilibrium" + parts,
        tuple(parameters),
        f"generalised Maxwell solid; {_COMMON} in viscoelasticity",
        "Viscoelasticity",
        derived=(Derived("modulus_instantaneous", total, "sum of all moduli"),),
        contains=tuple(f"prony-{i}" for i in range(1, count)),
        alike=_alike(count, "modulus"),
    )


TERMS = (
    Term(
        "exponential", "Exponential decay", "law", "offset + amplitude*exp(-x/tau)",
        (_OFFSET, Parameter("amplitude", "what the decay begins with"),
         Parameter("tau", "relaxation time", lower=0.0)),
        _COMMON, _GROUP, derived=(Derived("half_life", "tau*log(2)", f"{_HALF} of an exponential"),),
        contains=("constant",),
    ),
    Term(
        "two-exponentials", "Two exponential decays", "law",
        "offset + amplitude1*exp(-x/tau1) + amplitude2*exp(-x/tau2)", _amplitudes(2), _COMMON, _GROUP,
        contains=("exponential", "constant"), alike=_alike(2, "amplitude"),
    ),
    Term(
        "three-exponentials", "Three exponential decays", "law",
        "offset + amplitude1*exp(-x/tau1) + amplitude2*exp(-x/tau2) + amplitude3*exp(-x/tau3)", _amplitudes(3),
        _COMMON, _GROUP, contains=("two-exponentials", "exponential", "constant"), alike=_alike(3, "amplitude"),
    ),
    Term(
        "stretched-exponential", "Stretched exponential", "law", "offset + amplitude*exp(-(x/tau)^stretching)",
        (_OFFSET, Parameter("amplitude", "what the decay begins with"), Parameter("tau", "relaxation time", lower=0.0),
         Parameter("stretching", "1 is a plain exponential; smaller is broader", 0.05, 3.0, 0.7)),
        "R. Kohlrausch 1854; G. Williams and D. C. Watts, Trans. Faraday Soc. 66 (1970) 80 (from memory)", _GROUP,
        derived=(Derived("mean_tau", "tau/stretching*gamma(1/stretching)", "∫ of the decay over its amplitude"),),
        contains=("exponential", "constant"),
    ),
    Term(
        "approach", "Approach to a plateau", "law", "offset + rise*(1 - exp(-rate*x))",
        (Parameter("offset", "y at x = 0"), Parameter("rise", "from the beginning to the plateau"),
         Parameter("rate", "rate of the approach", lower=0.0)),
        _COMMON, _GROUP,
        derived=(Derived("plateau", "offset + rise", "limit for large x"),
                 Derived("half_life", "log(2)/rate", f"{_HALF} the rise")),
        contains=("constant",),
    ),
    Term(
        "first-order", "First-order reaction", "law", "initial*exp(-rate*x)",
        (Parameter("initial", "amount at the start"), Parameter("rate", "rate constant", lower=0.0)),
        "d[A]/dt = −k[A]; textbook", _GROUP, derived=(Derived("half_life", "log(2)/rate", f"{_HALF}, ln 2/k"),),
    ),
    Term(
        "second-order", "Second-order reaction", "law", "initial/(1 + initial*rate*x)",
        (Parameter("initial", "amount at the start"), Parameter("rate", "rate constant", lower=0.0)),
        "d[A]/dt = −k[A]²; textbook", _GROUP,
        derived=(Derived("half_life", "1/(rate*initial)", f"{_HALF}, 1/(k[A]₀)"),),
    ),
    Term(
        "avrami", "Avrami", "law", "final*(1 - exp(-(rate*x)^exponent))",
        (Parameter("final", "share transformed in the end"), Parameter("rate", "rate constant, as 1/time", lower=0.0),
         Parameter("exponent", "Avrami exponent: nucleation and dimension", 0.1, 8.0, 2.0)),
        "M. Avrami, J. Chem. Phys. 7 (1939) 1103, with k inside the power (from memory)", _GROUP,
        description="Crystallisation and other growth from nuclei",
        derived=(Derived("half_life", "log(2)^(1/exponent)/rate", "time to half the transformation"),),
    ),
    Term(
        "arrhenius", "Arrhenius", "law", "prefactor*exp(-activation/x)",
        (Parameter("prefactor", "value for infinite temperature"),
         Parameter("activation", "activation energy over the gas constant, as a temperature")),
        "S. Arrhenius 1889; k = A·exp(−Ea/(R·T)), x in K; textbook", _GROUP,
        derived=(Derived("activation_energy_kJ_per_mol", "8.314462618e-3*activation",
                         "Ea = R × activation, R by CODATA 2018 (x in K)", unit=(0, 0)),),
    ),
    Term(
        "vogel-fulcher-tammann", "Vogel–Fulcher–Tammann", "law", "prefactor*exp(strength/(x - divergence))",
        (Parameter("prefactor", "value for infinite temperature"), Parameter("strength", "B, as a temperature"),
         Parameter("divergence", "Vogel temperature, below the data")),
        "H. Vogel 1921; G. S. Fulcher 1925; G. Tammann and W. Hesse 1926 (from memory)", _GROUP,
        description="Viscosity or relaxation time near the glass transition", contains=("arrhenius",),
    ),
    Term(
        "power-law", "Power law", "law", "factor*x^exponent",
        (Parameter("factor", "y at x = 1"), Parameter("exponent", "slope on logarithmic axes")), _COMMON, _GROUP,
    ),
    Term(
        "logistic", "Logistic", "law", "lower + (upper - lower)/(1 + exp(-rate*(x - middle)))",
        (Parameter("lower", "level before"), Parameter("upper", "level after"),
         Parameter("rate", "steepness", lower=0.0),
         Parameter("middle", "x half way up")),
        "P.-F. Verhulst 1838 (from memory)", _GROUP,
    ),
    Term(
        "gompertz", "Gompertz", "law", "final*exp(-exp(-rate*(x - inflection)))",
        (Parameter("final", "level in the end"), Parameter("rate", "rate of growth", lower=0.0),
         Parameter("inflection", "x of the steepest rise")),
        "B. Gompertz 1825, in the form with the inflection (from memory)", _GROUP,
    ),
    Term(
        "langmuir", "Langmuir", "law", "capacity*affinity*x/(1 + affinity*x)",
        (Parameter("capacity", "amount of a full layer"), Parameter("affinity", "equilibrium constant", lower=0.0)),
        "I. Langmuir, J. Am. Chem. Soc. 40 (1918) 1361 (from memory)", "Saturation",
    ),
    Term(
        "michaelis-menten", "Michaelis–Menten", "law", "limit*x/(half + x)",
        (Parameter("limit", "rate when saturated"), Parameter("half", "x at half of the limit", lower=0.0)),
        "L. Michaelis and M. L. Menten 1913 (from memory)", "Saturation",
    ),
    Term(
        "hill", "Hill", "law", "limit*(x/half)^cooperativity/(1 + (x/half)^cooperativity)",
        (Parameter("limit", "level when saturated"), Parameter("half", "x at half of the limit", lower=0.0),
         Parameter("cooperativity", "Hill coefficient; 1 is no cooperation", 0.05, 20.0, 1.5)),
        "A. V. Hill 1910 (from memory)", "Saturation", contains=("michaelis-menten",),
    ),
    Term(
        "damped-oscillation", "Damped oscillation", "law",
        "offset + amplitude*exp(-damping*x)*cos(2*pi*frequency*x + phase)",
        (Parameter("offset", "level about which it swings"),
         Parameter("amplitude", "amplitude at x = 0"),
         Parameter("damping", "rate at which it dies away", lower=0.0),
         Parameter("frequency", "swings per x", lower=0.0),
         Parameter("phase", "phase at x = 0, in radians", start=0.0)),
        "free vibration with viscous damping; textbook", "Oscillation",
        derived=(Derived("decrement", "damping/frequency", "logarithmic decrement of successive swings"),),
    ),
    Term(
        "cumulants", "Cumulants", "law",
        "baseline + contrast*exp(-2*rate*x)*(1 + (spread*rate*x)^2/2)^2",
        (Parameter("baseline", "level for long delays: 0 of g₂ − 1", start=0.0),
         Parameter("contrast", "g₂ − 1 for short delays, β", lower=0.0, start=0.5),
         Parameter("rate", "mean rate Γ of the decay of the field", lower=0.0),
         Parameter("spread", "standard deviation of the rates over their mean, √μ₂/Γ", 0.0, 1.0, 0.2)),
        "D. E. Koppel, J. Chem. Phys. 57 (1972) 4814; B. J. Frisken, Appl. Opt. 40 (2001) 4087 (from memory)",
        "Scattering", description="Correlation of light scattered by diffusing particles, g₂ − 1 against delay",
    ),
    _prony(1), _prony(2), _prony(3), _prony(4),
)  # fmt: skip
