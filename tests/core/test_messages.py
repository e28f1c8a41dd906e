"""Sentences below the window are declared once, rendered in one place, and may be put into other words."""

from __future__ import annotations

import ast
import importlib
import pkgutil
import re
import string
from collections.abc import Iterator
from pathlib import Path

import pytest

import lean_trim
from lean_trim.core import messages
from lean_trim.core.errors import BadInputError
from lean_trim.core.messages import Message, declared, render, use_catalogue

ROOMS = ("core", "formats", "job", "workspace", "simcar", "diagnostics")
SRC = Path(lean_trim.__file__).parent


@pytest.fixture
def catalogue() -> Iterator[None]:
    yield
    use_catalogue({})


def load_all() -> dict[str, Message]:
    for room in ROOMS:
        package = importlib.import_module(f"lean_trim.{room}")
        for module in pkgutil.walk_packages(package.__path__, package.__name__ + "."):
            importlib.import_module(module.name)
    return declared()


def test_every_message_has_an_id_of_its_own_and_named_fields_only() -> None:
    found = load_all()
    assert len(found) > 150
    for id, message in found.items():
        assert re.fullmatch(r"[a-z_]+\.[a-z_0-9]+", id), id
        fields = [
            name for _, name, _, _ in string.Formatter().parse(message.text) if name is not None
        ]
        assert all(name.isidentifier() for name in fields), (id, fields)


def test_an_id_cannot_be_given_twice() -> None:
    Message("test.once", "one text")
    with pytest.raises(ValueError, match="declared twice"):
        Message("test.once", "another text")


def test_a_catalogue_puts_sentences_into_other_words(catalogue: None) -> None:
    said = Message("test.greeting", "{name} is {age:.1f}")(name="Heron", age=3.25)
    assert str(said) == "Heron is 3.2"
    error = BadInputError(said)
    use_catalogue({"test.greeting": "{age:.0f} Jahre: {name}"})
    assert render(said) == "3 Jahre: Heron"
    assert error.said is said and str(error) == "Heron is 3.2"
    assert messages.declared()["test.greeting"].text == "{name} is {age:.1f}"


def test_no_error_below_the_window_is_raised_with_bare_words() -> None:
    theirs = (
        "ValueError",
        "KeyError",
        "TypeError",
        "TimeoutError",
        "AssertionError",
        "np.linalg.LinAlgError",
    )
    bare = []
    for room in ROOMS:
        for path in (SRC / room).rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if not (
                    isinstance(node, ast.Raise) and isinstance(node.exc, ast.Call) and node.exc.args
                ):
                    continue
                name = ast.unparse(node.exc.func)
                first = node.exc.args[0]
                ours = name.endswith("Error") and name not in theirs
                if ours and isinstance(first, ast.JoinedStr | ast.Constant):
                    bare.append(
                        f"{path.relative_to(SRC)}:{node.lineno} {ast.unparse(node.exc)[:60]}"
                    )
    assert bare == []
