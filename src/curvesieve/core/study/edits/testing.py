"""Curves of mechanical tests brought in: the recipe of the test, what goes with each curve, groups by material."""

from __future__ import annotations

import re
from collections.abc import Sequence

from curvesieve.core.quantity import Quantity
from curvesieve.core.sets import BY_TEST
from curvesieve.core.study.edits.readings import set_groups, set_quantities
from curvesieve.core.study.edits.recipes import set_family_recipe, set_recipe
from curvesieve.core.study.given import line_of, preamble_lines
from curvesieve.core.study.study import Study

_GROUPING = re.compile(r"material|alloy|grade|batch|group|heat|lot|film|sample type", re.IGNORECASE)
"""Lines of preambles that tell specimens of one kind from those of another; common practice."""


def as_tested(study: Study, family_id: str, test: str, given: Sequence[Sequence[Quantity]]) -> Study:
    """A family of curves of a mechanical test with the recipe of the test, shared, and quantities for each curve. A
    curve that is alone has the recipe as its own.

    `given` are the quantities of each curve, in order. Where a line of the preambles tells materials apart, the curves
    are in groups by it.
    """
    family = next(one for one in study.document.families if one.id == family_id)
    everywhere = set.intersection(*({one.name for one in each} for each in given)) if given else set()
    recipe = BY_TEST[test].recipe_with(sorted(everywhere))
    if len(family.curves) > 1:
        study = set_family_recipe(family_id, recipe, family.curves)(study)
    else:
        study = set_recipe(family.curves, recipe)(study)
    study = set_quantities(dict(zip(family.curves, given, strict=True)))(study)
    line = next((line for line in preamble_lines(study, list(family.curves)) if _GROUPING.search(line)), "")
    if not line:
        return study
    return set_groups({id_: line_of(study, id_, line) for id_ in family.curves}, family_id, line)(study)
