"""Prose as it is kept: a tree of few kinds of nodes, checked node by node. Nothing of it is ever markup."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any
from urllib.parse import urlsplit

from problems import Problem

Node = dict[str, Any]
#: What may stand in what.
_BLOCKS = {"paragraph", "heading", "bulletList", "orderedList", "blockquote"}
_WITHIN: dict[str, set[str]] = {
    "doc": _BLOCKS,
    "paragraph": {"text", "number", "hardBreak"},
    "heading": {"text", "number", "hardBreak"},
    "bulletList": {"listItem"},
    "orderedList": {"listItem"},
    "listItem": {"paragraph"},
    "blockquote": {"paragraph"},
}
_ATTRIBUTES: dict[str, set[str]] = {
    "heading": {"level"}, "orderedList": {"start", "type"}, "number": {"study", "key", "of", "text"},
    "link": {"href"},
}  # fmt: skip
_MARKS = {"bold", "italic", "link"}
_LEVELS = (2, 3)
#: What a block of prose may hold at most.
MOST_SIGNS, MOST_NODES, MOST_NUMBERS = 40_000, 6_000, 300


@dataclass(frozen=True)
class Said:
    """A live number in prose: a number of a study by its name in the data package, and how it is said here."""

    study: int
    key: str
    of: str
    text: str


def checked(doc: Any) -> Node:
    """The prose, as it may be kept. Raises :class:`Problem` that names the node which is none of ours."""
    found = _node(doc, "doc", "doc")
    nodes = list(_walk(found))
    if len(nodes) > MOST_NODES or len(plain_text(found)) > MOST_SIGNS:
        raise _refused("it is too long for one block: part it")
    if sum(node["type"] == "number" for node in nodes) > MOST_NUMBERS:
        raise _refused(f"it holds more than {MOST_NUMBERS} numbers: part it")
    return found


def numbers_in(doc: Node) -> list[Said]:
    """The live numbers of prose, in their order."""
    return [Said(**node["attrs"]) for node in _walk(doc) if node["type"] == "number"]


def with_numbers(doc: Node, say: Callable[[Said], Said]) -> Node:
    """The same prose with its numbers said anew."""
    if doc["type"] == "number":
        new = say(Said(**doc["attrs"]))
        return {"type": "number", "attrs": {"study": new.study, "key": new.key, "of": new.of, "text": new.text}}
    below = {"content": [with_numbers(one, say) for one in doc["content"]]} if "content" in doc else {}
    return {**doc, **below}


def plain_text(doc: Node, number: Callable[[Said], str] = lambda one: one.text) -> str:
    """The words of prose, a line each paragraph."""
    lines: list[str] = []
    for node in _walk(doc):
        kind = node["type"]
        if kind in ("paragraph", "heading"):
            lines.append("")
        elif kind == "text":
            lines[-1] += node["text"]
        elif kind == "number":
            lines[-1] += number(Said(**node["attrs"]))
        elif kind == "hardBreak":
            lines[-1] += "\n"
    return "\n".join(lines)


def typed_text(doc: Node) -> str:
    """What was typed: the words without the live numbers, which leave a gap that joins nothing."""
    return plain_text(doc, lambda _: "\ufffc")


def _walk(node: Node) -> Iterator[Node]:
    yield node
    for below in node.get("content", ()):
        yield from _walk(below)


def _node(node: Any, kind: str, way: str) -> Node:
    if not isinstance(node, dict) or node.get("type") != kind:
        raise _refused(f"{way} is no {kind}")
    strange = set(node) - {"type", "attrs", "content", "text", "marks"}
    if strange:
        raise _refused(f"{way} has “{sorted(strange)[0][:40]}”")
    if kind == "text":
        return _text(node, way)
    found: Node = {"type": kind}
    attributes = _attributes(node, kind, way)
    if attributes:
        found["attrs"] = attributes
    if kind in ("number", "hardBreak"):
        return found
    content = node.get("content", [])
    if not isinstance(content, list):
        raise _refused(f"{way} holds no list of nodes")
    allowed, below = _WITHIN[kind], []
    for at, one in enumerate(content):
        own = one.get("type") if isinstance(one, dict) else None
        if own not in allowed:
            raise _refused(f"{way}.{at} is “{str(own)[:40]}”, which cannot stand in a {kind}")
        below.append(_node(one, own, f"{way}.{at}"))
    return {**found, "content": below}


def _text(node: Node, way: str) -> Node:
    text = node.get("text")
    if not isinstance(text, str) or not text or "attrs" in node or "content" in node:
        raise _refused(f"{way} is no text")
    marks = node.get("marks", [])
    if not isinstance(marks, list) or len(marks) > len(_MARKS):
        raise _refused(f"{way} has marks that are none")
    found: Node = {"type": "text", "text": text}
    kept = [_mark(one, way) for one in marks]
    return found | ({"marks": kept} if kept else {})


def _mark(mark: Any, way: str) -> Node:
    if not isinstance(mark, dict) or mark.get("type") not in _MARKS or set(mark) - {"type", "attrs"}:
        raise _refused(f"{way} has a mark that is none of ours")
    if mark["type"] != "link":
        return {"type": mark["type"]}
    told = mark.get("attrs")
    href = told.get("href") if isinstance(told, dict) else None
    if not isinstance(href, str) or not _may_be_led_to(href):
        raise _refused(f"{way} links to what is no address of the web", hint="Links begin with https:// or http://.")
    return {"type": "link", "attrs": {"href": href}}


def _may_be_led_to(href: str) -> bool:
    try:
        parts = urlsplit(href)
    except ValueError:
        return False
    return parts.scheme in ("http", "https") and bool(parts.hostname) and len(href) <= 2000 and href.isprintable()


def _attributes(node: Node, kind: str, way: str) -> dict[str, Any]:
    told = node.get("attrs") or {}
    if not isinstance(told, dict) or set(told) - _ATTRIBUTES.get(kind, set()):
        raise _refused(f"{way} has attributes that a {kind} has not")
    if kind == "heading":
        if told.get("level") not in _LEVELS:
            raise _refused(f"{way} is a heading of a level that there is not")
        return {"level": told["level"]}
    if kind == "number":
        return _number(told, way)
    return {}


def _number(told: dict[str, Any], way: str) -> dict[str, Any]:
    study, texts = told.get("study"), [told.get(name) for name in ("key", "of", "text")]
    fit = all(isinstance(one, str) and 0 < len(one) <= 1000 for one in texts)
    if not isinstance(study, int) or isinstance(study, bool) or study < 1 or not fit:
        raise _refused(f"{way} is no number of a study")
    return {"study": study, "key": told["key"], "of": told["of"], "text": told["text"]}


def _refused(why: str, hint: str = "Type it anew in the editor.") -> Problem:
    return Problem("bad_prose", f"This prose cannot be kept: {why}.", field="content", hint=hint)
