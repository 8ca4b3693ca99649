"""How lines lie within each other, against a tree made by recursion, which is slow and obvious."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from datebridge.core.text.nesting import depths, differing_fields, fields_of, nested_in
from tests.depth import tries

#: A component as a tree: its kind, and within it lines and further components.
LINE = st.sampled_from(["SUMMARY:Tide", "X-END:1", "BEGINNING:1", "ENDS;A=1:2", "begin", "TRIGGER:-PT5M", ""])
BEGIN = st.sampled_from(["BEGIN:{}", "begin:{}", "Begin;X=1:{} ", "\v BEGIN:{}", "\u00a0BEGIN:{}"])
TREE = st.recursive(
    st.tuples(st.sampled_from(["VALARM", "X-NOTE"]), BEGIN, st.lists(LINE)),
    lambda inner: st.tuples(st.sampled_from(["VALARM", "X-NOTE"]), BEGIN, st.lists(LINE | inner)),
    max_leaves=8,
)
Tree = tuple[str, str, list[object]]


def _laid_out(tree: Tree, depth: int) -> list[tuple[str, int]]:
    kind, begin, inside = tree
    found = [(begin.format(kind), 0)]
    for one in inside:
        found += [(one, depth)] if isinstance(one, str) else _laid_out(one, depth + 1)  # type: ignore[arg-type]
    return [*found, (f"END:{kind}", 0)]


@tries(150, 5_000)
@given(TREE)
def test_lines_lie_as_the_tree_says(tree: Tree) -> None:
    pairs = _laid_out(tree, 1)
    lines = [line for line, _ in pairs]
    assert depths(lines) == [depth for _, depth in pairs]
    inner = [one for one in tree[2] if not isinstance(one, str)]
    nested = nested_in(lines)
    assert [one.kind for one in nested] == [one[0] for one in inner]  # type: ignore[index]
    parts = fields_of("\n".join(lines))
    assert sorted(line for some in parts.values() for part in some for line in part) == sorted(lines[1:-1])
    blocks = sorted(tuple(line for line, _ in _laid_out(one, 2)) for one in inner)  # type: ignore[arg-type]
    assert sorted(tuple(lines[one.first : one.last + 1]) for one in nested) == blocks
    assert not differing_fields("\n".join(lines), "\n".join(lines), lambda _, some: some)


def test_a_component_without_its_end_goes_on_to_the_last_line_but_one() -> None:
    lines = ["BEGIN:VEVENT", "BEGIN:VALARM", "TRIGGER:-PT5M", "END:VEVENT"]
    assert nested_in(lines) == [("VALARM", 1, 2)]
    assert fields_of("\n".join(lines)) == {"VALARM": [("BEGIN:VALARM", "TRIGGER:-PT5M")]}
