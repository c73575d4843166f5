"""Peaks: height (or area), center and widths on top of whatever the rest of the model is."""

from __future__ import annotations

from curvesieve.core.models import starts
from curvesieve.core.models.term import Derived, Parameter, PeakShape, Term

_CENTER = Parameter("center", "x of the maximum")
_HEIGHT = Parameter("height", "y of the maximum above the background")
_FWHM = Parameter("fwhm", "full width at half maximum", lower=0.0)
_LEFT = Parameter("fwhm_left", "full width that the half below the center has", lower=0.0)
_RIGHT = Parameter("fwhm_right", "full width that the half above the center has", lower=0.0)
_SHARE = Parameter("mixing", "share of the Lorentzian, from 0 to 1", lower=0.0, upper=1.0, start=0.5)
_SPLIT = PeakShape(widths=(("fwhm_left", 1.0), ("fwhm_right", 1.0)), fwhm="(fwhm_left + fwhm_right)/2")
_SIDE = "w = where(x < center, fwhm_left, fwhm_right)\n"
_GAUSS_AREA = "sqrt(pi/(4*log(2)))"
_COMMON = "common practice"
_SIGMA = "fwhm/(2*sqrt(2*log(2)))"


def _log_normal(data: starts.Data) -> dict[str, float]:
    seen = starts.peak(data)
    spread = seen["fwhm"] / (2.355 * abs(seen["center"] or 1.0))
    return {"center": seen["center"], "height": seen["height"], "spread": min(max(spread, 1e-3), 2.0)}


TERMS = (
    Term(
        "gaussian", "Gaussian", "peak", "height*exp(-4*log(2)*((x - center)/fwhm)^2)", (_CENTER, _HEIGHT, _FWHM),
        "normal distribution, height and FWHM form; common practice",
        derived=(Derived("area", f"height*fwhm*{_GAUSS_AREA}", "∫ of the Gaussian over all x"),),
        shape=PeakShape(cumulative=f"height*fwhm*{_GAUSS_AREA}*(1 + erf(2*sqrt(log(2))*(x - center)/fwhm))/2"),
    ),
    Term(
        "lorentzian", "Lorentzian", "peak", "height/(1 + 4*((x - center)/fwhm)^2)", (_CENTER, _HEIGHT, _FWHM),
        "Cauchy distribution, height and FWHM form; common practice",
        derived=(Derived("area", "pi/2*height*fwhm", "∫ of the Lorentzian over all x"),),
        shape=PeakShape(cumulative="height*fwhm/2*(pi/2 + atan(2*(x - center)/fwhm))"),
    ),
    Term(
        "voigt", "Voigt", "peak",
        "s = fwhm_gauss/(2*sqrt(2*log(2)))\ng = fwhm_lorentz/2\nheight*voigt(x - center, s, g)/voigt(0, s, g)",
        (
            _CENTER, _HEIGHT, Parameter("fwhm_gauss", "full width of the Gaussian alone", lower=0.0),
            Parameter("fwhm_lorentz", "full width of the Lorentzian alone", lower=0.0),
        ),
        "Gaussian folded with Lorentzian, by the Faddeeva function (DLMF 7.19); FWHM by J. J. Olivero and R. L. "
        "Longbothum, JQSRT 17 (1977) 233, to 0.02 % (from memory)",
        description="A line broadened by the instrument (Gaussian) and by its lifetime (Lorentzian)",
        derived=(
            Derived("fwhm", "0.5346*fwhm_lorentz + sqrt(0.2166*fwhm_lorentz^2 + fwhm_gauss^2)",
                    "Olivero and Longbothum 1977, to 0.02 %"),
            Derived("area", "height/voigt(0, fwhm_gauss/(2*sqrt(2*log(2))), fwhm_lorentz/2)", "∫ of the profile",
                    (1, 1)),
        ),
        shape=PeakShape(
            widths=(("fwhm_gauss", 0.6), ("fwhm_lorentz", 0.6)),
            fwhm="0.5346*fwhm_lorentz + sqrt(0.2166*fwhm_lorentz^2 + fwhm_gauss^2)",
        ),
        contains=("gaussian", "lorentzian"),
    ),
    Term(
        "pseudo-voigt", "Pseudo-Voigt", "peak",
        "z = 4*((x - center)/fwhm)^2\nheight*(mixing/(1 + z) + (1 - mixing)*exp(-log(2)*z))",
        (_CENTER, _HEIGHT, _FWHM, _SHARE), "sum of a Lorentzian and a Gaussian of one width; G. K. Wertheim et al., "
        "Rev. Sci. Instrum. 45 (1974) 1369 (from memory)",
        derived=(Derived("area", f"height*fwhm*(mixing*pi/2 + (1 - mixing)*{_GAUSS_AREA})", "∫ over all x"),),
        shape=PeakShape(
            cumulative="height*fwhm*(mixing/2*(pi/2 + atan(2*(x - center)/fwhm)) + (1 - mixing)*"
            f"{_GAUSS_AREA}*(1 + erf(2*sqrt(log(2))*(x - center)/fwhm))/2)"
        ),
        contains=("gaussian", "lorentzian"),
    ),
    Term(
        "pearson", "Pearson VII", "peak",
        "height*(1 + 4*((x - center)/fwhm)^2*(2^(1/shape) - 1))^(-shape)",
        (_CENTER, _HEIGHT, _FWHM, Parameter("shape", "1 is a Lorentzian, large values a Gaussian", 0.51, 200.0, 1.5)),
        "M. M. Hall et al., J. Appl. Cryst. 10 (1977) 66 (from memory)",
        derived=(
            # At a shape of 1/2 and below there is no area; the formula alone would give one, with the wrong sign.
            Derived(
                "area",
                "where(shape > 0.5, height*fwhm/2*sqrt(pi/(2^(1/shape) - 1))*gamma(shape - 0.5)/gamma(shape), "
                "height*fwhm*sqrt(shape - 1))",
                "∫ over all x, for a shape above 1/2",
            ),
        ),
        shape=PeakShape(), contains=("lorentzian",),
    ),
    Term(
        "split-gaussian", "Split Gaussian", "peak", _SIDE + "height*exp(-4*log(2)*((x - center)/w)^2)",
        (_CENTER, _HEIGHT, _LEFT, _RIGHT), f"two halves of different width; {_COMMON}",
        derived=(
            Derived("fwhm", "(fwhm_left + fwhm_right)/2", "half of each width"),
            Derived("area", f"height*(fwhm_left + fwhm_right)/2*{_GAUSS_AREA}", "∫ over all x"),
        ),
        shape=_SPLIT, contains=("gaussian",),
    ),
    Term(
        "split-lorentzian", "Split Lorentzian", "peak", _SIDE + "height/(1 + 4*((x - center)/w)^2)",
        (_CENTER, _HEIGHT, _LEFT, _RIGHT), f"two halves of different width; {_COMMON}",
        derived=(
            Derived("fwhm", "(fwhm_left + fwhm_right)/2", "half of each width"),
            Derived("area", "pi/2*height*(fwhm_left + fwhm_right)/2", "∫ over all x"),
        ),
        shape=_SPLIT, contains=("lorentzian",),
    ),
    Term(
        "split-pseudo-voigt", "Split pseudo-Voigt", "peak",
        _SIDE + "z = 4*((x - center)/w)^2\nheight*(mixing/(1 + z) + (1 - mixing)*exp(-log(2)*z))",
        (_CENTER, _HEIGHT, _LEFT, _RIGHT, _SHARE), f"two halves of different width; {_COMMON}",
        derived=(
            Derived("fwhm", "(fwhm_left + fwhm_right)/2", "half of each width"),
            Derived("area", f"height*(fwhm_left + fwhm_right)/2*(mixing*pi/2 + (1 - mixing)*{_GAUSS_AREA})",
                    "∫ over all x"),
        ),
        shape=_SPLIT, contains=("pseudo-voigt", "split-gaussian", "split-lorentzian", "gaussian", "lorentzian"),
    ),
    Term(
        "split-pearson", "Split Pearson VII", "peak",
        _SIDE + "height*(1 + 4*((x - center)/w)^2*(2^(1/shape) - 1))^(-shape)",
        (_CENTER, _HEIGHT, _LEFT, _RIGHT,
         Parameter("shape", "1 is a Lorentzian, large values a Gaussian", 0.51, 200.0, 1.5)),
        "H. Toraya, J. Appl. Cryst. 23 (1990) 485, with one shape for both sides (from memory)",
        derived=(Derived("fwhm", "(fwhm_left + fwhm_right)/2", "half of each width"),),
        shape=_SPLIT, contains=("pearson", "split-lorentzian", "lorentzian"),
    ),
    Term(
        "exponentially-modified-gaussian", "Exponentially modified Gaussian", "peak",
        f"s = {_SIGMA}\nz = (s/tail - (x - center)/s)/sqrt(2)\n"
        "area/(2*tail)*where(z < 0, exp(s^2/(2*tail^2) - (x - center)/tail)*erfc(z), "
        "exp(-(x - center)^2/(2*s^2))*erfcx(z))",
        (
            Parameter("center", "center of the Gaussian; the maximum lies after it"),
            Parameter("area", "area of the peak"), Parameter("fwhm", "full width of the Gaussian alone", lower=0.0),
            Parameter("tail", "decay length of the tail towards large x", lower=0.0),
        ),
        "E. Grushka, Anal. Chem. 44 (1972) 1733 (from memory); scaled erfc where exp would overflow",
        description="A Gaussian with a tail, as in chromatography",
        shape=PeakShape("area", (("fwhm", 0.8), ("tail", 0.4)), "sqrt(fwhm^2 + (1.5*tail)^2)", plain=False),
    ),
    Term(
        "fano", "Fano", "peak",
        "d = 2*(x - center)/fwhm\nheight/asymmetry^2*((asymmetry + d)^2/(1 + d^2) - 1)",
        (
            Parameter("center", "resonance; the maximum lies fwhm/(2·asymmetry) from it"),
            Parameter("height", "height at the resonance for a large asymmetry"), _FWHM,
            Parameter("asymmetry", "Fano's q: large is symmetric, its sign turns the side of the dip", start=5.0),
        ),
        "U. Fano, Phys. Rev. 124 (1961) 1866, without the level far away (from memory)",
        description="A line that interferes with a continuum", shape=PeakShape(plain=False),
    ),
    Term(
        "doniach-sunjic", "Doniach–Šunjić", "peak",
        "t = 2*(x - center)/fwhm\n"
        "height*cos(pi*asymmetry/2 + (1 - asymmetry)*atan(t))/(cos(pi*asymmetry/2)*(1 + t^2)^((1 - asymmetry)/2))",
        (
            Parameter("center", "x of the line; the maximum lies close to it"), Parameter("height", "y at the center"),
            Parameter("fwhm", "full width of the symmetric line", lower=0.0),
            Parameter("asymmetry", "0 is a Lorentzian; larger values have a tail", -0.9, 0.9, 0.1),
        ),
        "S. Doniach and M. Šunjić, J. Phys. C 3 (1970) 285, scaled to its value at the center (from memory)",
        description="A core level of a metal, with its tail", shape=PeakShape(plain=False), contains=("lorentzian",),
    ),
    Term(
        "log-normal", "Log-normal", "peak", "height*exp(-log(x/center)^2/(2*spread^2))",
        (
            Parameter("center", "x of the maximum, above zero", lower=0.0), _HEIGHT,
            Parameter("spread", "standard deviation of ln x", lower=0.0, start=0.3),
        ),
        "log-normal in x with its maximum at center; common practice", start=_log_normal,
        description="A distribution of sizes",
        derived=(
            Derived("fwhm", "center*(exp(spread*sqrt(2*log(2))) - exp(-spread*sqrt(2*log(2))))",
                    "from its half points"),
            Derived("area", "height*center*spread*sqrt(2*pi)*exp(spread^2/2)", "∫ from 0 to ∞"),
        ),
        shape=PeakShape(
            widths=(("spread", 0.0),), fwhm="center*(exp(spread*sqrt(2*log(2))) - exp(-spread*sqrt(2*log(2))))"
        ),
    ),
)  # fmt: skip
