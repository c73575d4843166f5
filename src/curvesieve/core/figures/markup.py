"""Typed markup of words on a page: ``x^2``, ``x_{max}``, ``*italic*``, ``\\alpha``; all else stays as it is."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass

GREEK = {
    "alpha": "α", "beta": "β", "gamma": "γ", "delta": "δ", "epsilon": "ε", "zeta": "ζ", "eta": "η", "theta": "θ",
    "iota": "ι", "kappa": "κ", "lambda": "λ", "mu": "µ", "nu": "ν", "xi": "ξ", "pi": "π", "rho": "ρ", "sigma": "σ",
    "tau": "τ", "phi": "φ", "chi": "χ", "psi": "ψ", "omega": "ω", "Gamma": "Γ", "Delta": "Δ", "Theta": "Θ",
    "Lambda": "Λ", "Pi": "Π", "Sigma": "Σ", "Phi": "Φ", "Psi": "Ψ", "Omega": "Ω", "deg": "°", "times": "×",
    "cdot": "·", "pm": "±", "AA": "Å",
}  # fmt: skip
_PIECE = re.compile(r"\^\{(?P<up>[^{}]*)\}|\^(?P<up1>-?\w)|_\{(?P<down>[^{}]*)\}|_(?P<down1>\w)|\*(?P<lean>[^*\n]+)\*")
_HIGH, _LEVEL = "⁰¹²³⁴⁵⁶⁷⁸⁹⁻", "0123456789-"
_RAISED = str.maketrans(f"{_HIGH}⁺", f"{_LEVEL}+")
_RAISE = str.maketrans(_LEVEL, _HIGH)
_RAISED_RUN = re.compile("[⁰¹²³⁴⁵⁶⁷⁸⁹⁻⁺]+")


@dataclass(frozen=True)
class Piece:
    """A run of letters: plain, raised, lowered or slanted."""

    text: str
    kind: str = "plain"


def pieces(text: str) -> tuple[list[Piece], str]:
    """The runs of a text, and what in it could not be read (empty: all could)."""
    problem = ""
    if text.count("{") != text.count("}"):
        problem = "a brace has no partner"
    elif text.count("*") % 2:
        problem = "a * has no partner"
    if problem:
        return [Piece(text)], f"“{text}”: {problem}; it is shown as it is."
    text = re.sub(r"\\([A-Za-z]+)", lambda m: GREEK.get(m[1], m[0]), text)
    text = _RAISED_RUN.sub(lambda m: f"^{{{m[0].translate(_RAISED)}}}", text)
    found: list[Piece] = []
    at = 0
    for match in _PIECE.finditer(text):
        if match.start() > at:
            found.append(Piece(text[at : match.start()]))
        kinds = (("up", "raised"), ("up1", "raised"), ("down", "lowered"), ("down1", "lowered"), ("lean", "slanted"))
        name, kind = next((n, k) for n, k in kinds if match[n] is not None)
        found.append(Piece(match[name], kind))
        at = match.end()
    if at < len(text):
        found.append(Piece(text[at:]))
    stray = re.search(r"\\[A-Za-z]+", text)
    return found, f"“{stray[0]}” is no letter that is known; it is shown as it is." if stray else ""


def mathtext(text: str) -> str:
    """The text for Matplotlib, which reads ``$…$`` as formulas: raised and lowered runs as such, else letters."""
    made = []
    for piece in pieces(text)[0]:
        if piece.kind == "plain":
            made.append(piece.text.replace("$", r"\$"))
        elif piece.kind == "raised" and not set(piece.text) - set(_LEVEL):
            made.append(piece.text.translate(_RAISE))  # as letters: SVG then has the word in one piece
        elif set(piece.text) & set("{}\\$"):  # mathematics would read these as signs of its own
            made.append(_as_typed(piece).replace("$", r"\$"))
        else:
            made.append(f"${_FORMS[piece.kind](_escaped(piece.text))}$")
    return "".join(made)


def _as_typed(piece: Piece) -> str:
    before, after = {"raised": ("^{", "}"), "lowered": ("_{", "}"), "slanted": ("*", "*")}[piece.kind]
    return f"{before}{piece.text}{after}"


_SIGNS = {" ": r"\ ", "\\": r"{\backslash}", "-": "{-}", "~": r"{\sim}", "'": "{\N{RIGHT SINGLE QUOTATION MARK}}"}


def _escaped(text: str) -> str:
    return re.sub(r"[\\{}$%#&_^~' -]", lambda m: _SIGNS.get(m[0], "\\" + m[0]), text.replace("\n", " "))


_FORMS: dict[str, Callable[[str], str]] = {
    "raised": lambda text: rf"^{{\mathregular{{{text}}}}}",
    "lowered": lambda text: rf"_{{\mathregular{{{text}}}}}",
    "slanted": lambda text: rf"\mathit{{{text}}}",
}


def plain(text: str) -> str:
    """The letters alone, for file names and clipboards."""
    return "".join(piece.text for piece in pieces(text)[0])


def problems(texts: Sequence[str]) -> list[str]:
    """What in these texts could not be read."""
    return [said for text in texts if (said := pieces(text)[1])]
