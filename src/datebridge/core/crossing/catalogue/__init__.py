"""Every feature that a target may keep, rewrite, drop or refuse, in the order in which rules are learned.

>>> len(CATALOGUE) >= 80, BY_NAME["colour"].words
(True, 'Colour')
"""

from __future__ import annotations

from collections.abc import Mapping

from datebridge.core.crossing.catalogue import damage, limits, people, repeating, times, words
from datebridge.core.crossing.features import Feature

#: What is general comes first: a rule that is learned early explains what is seen later.
CATALOGUE: tuple[Feature, ...] = (
    *times.FEATURES,
    limits.SIZE,
    *words.FEATURES,
    *people.FEATURES,
    *repeating.FEATURES,
    *limits.FEATURES,
    *damage.FEATURES,
)
BY_NAME: Mapping[str, Feature] = {feature.name: feature for feature in CATALOGUE}
