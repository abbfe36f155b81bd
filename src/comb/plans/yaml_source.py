"""YAML as plans use it: every scalar is text, and every part knows its line.

Numbers, dates and words like ``no`` are typed later, by the field they fill. Aliases,
anchors, tags and duplicate keys are errors: each would let a plan say something else
than what is read. Pure: text in, values out.
"""

from typing import Any

import yaml

from comb.errors import PlanError

# A plan is written by hand; a larger file is a mistake or an attack.
LONGEST_PLAN = 1_000_000
DEEPEST = 20

# What to do with a file of data where a plan goes.
DATA_IS_NO_PLAN = (
    "of a file of data a plan is drafted: comb profile FILE --draft PLAN.yaml; "
    "single steps need none: comb run FILE --step STEP"
)
Path = tuple[str | int, ...]
_QUOTE_HINT = "text that begins with * or & must be quoted: '*_kg'"


class YamlSource:
    """The values of a YAML text, with the line of each.

    Attributes
    ----------
    value : dict, list, str or None
    name : str
        What to call the document in messages.
    """

    def __init__(self, text: str, name: str) -> None:
        self.name = name
        self._lines: dict[Path, int] = {}
        if len(text) > LONGEST_PLAN:
            raise PlanError(
                f"expected a plan of at most {LONGEST_PLAN:,} characters, got {len(text):,}",
                where=name,
                remedy=DATA_IS_NO_PLAN,
            )
        try:
            self._refuse_indirection(text)
            root = yaml.compose(text, Loader=yaml.SafeLoader)
        except (yaml.YAMLError, RecursionError) as error:
            raise self._broken(error) from None
        self.value: Any = None if root is None else self._plain(root, ())

    def error(self, path: Path, what: str, remedy: str | None = None) -> PlanError:
        """Return the error for a part of the document, with file and line."""
        return PlanError(what, where=f"{self.name}, line {self.line(path)}", remedy=remedy)

    def line(self, path: Path) -> int:
        """Return the line of a part of the document, or of the nearest part around it."""
        while path and path not in self._lines:
            path = path[:-1]
        return self._lines.get(path, 1)

    def _refuse_indirection(self, text: str) -> None:
        depth = 0
        for event in yaml.parse(text, Loader=yaml.SafeLoader):
            depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
            line = event.start_mark.line + 1 if event.start_mark else 1
            where = f"{self.name}, line {line}"
            if depth > DEEPEST:
                raise PlanError(f"this is nested more than {DEEPEST} deep, no plan is", where=where)
            if getattr(event, "anchor", None) is not None:
                raise PlanError("a plan has no anchors and aliases", where=where, remedy=_QUOTE_HINT)
            tag = getattr(event, "tag", None)
            if tag is not None:
                raise PlanError(f"a plan has no tags, found {tag}", where=where)

    def _broken(self, error: Exception) -> PlanError:
        mark = getattr(error, "problem_mark", None)
        line = f", line {mark.line + 1}" if mark else ""
        problem = getattr(error, "problem", None) or "nested too deeply"
        context = getattr(error, "context", None) or ""
        remedy = _QUOTE_HINT if "alias" in context or "anchor" in context else None
        return PlanError(f"this is not YAML: {problem}", where=f"{self.name}{line}", remedy=remedy)

    def _plain(self, node: yaml.Node, path: Path) -> Any:
        self._lines[path] = node.start_mark.line + 1
        if isinstance(node, yaml.ScalarNode):
            empty = node.style is None and node.value in ("", "~", "null")
            return None if empty else str(node.value)
        if isinstance(node, yaml.SequenceNode):
            return [self._plain(child, (*path, at)) for at, child in enumerate(node.value)]
        assert isinstance(node, yaml.MappingNode)
        return self._mapping(node, path)

    def _mapping(self, node: yaml.MappingNode, path: Path) -> dict[str, Any]:
        result: dict[str, Any] = {}
        for key, child in node.value:
            if not isinstance(key, yaml.ScalarNode):
                raise self.error(path, "expected a word before the colon, got a list or a mapping")
            name = str(key.value)
            here = (*path, name)
            self._lines[here] = key.start_mark.line + 1
            if name in result:
                raise PlanError(f"{name!r} is there twice", where=f"{self.name}, line {key.start_mark.line + 1}")
            result[name] = self._plain(child, here)
            self._lines[here] = key.start_mark.line + 1
        return result
