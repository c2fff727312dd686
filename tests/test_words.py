"""Names in the code have one meaning each: words that had several, or none that the field knows, stay out."""

from __future__ import annotations

import io
import re
import tokenize
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).parent.parent
#: Whole identifiers; fields that are stored or sent have their names for good, and none of these.
RETIRED = {
    "told", "Told", "known", "late", "many", "aside", "leftover", "Turns", "Opened", "Around", "Look", "Shown", "went",
    "breathe", "gauge", "dress", "wash", "reckon", "settle", "put_many", "put_aside",
}  # fmt: skip
#: Words that no comment of the Python code needs.
UNSAID = re.compile(r"\b(told|reckon\w*|breathes?|leftovers?)\b")
WEB_RETIRED = RETIRED - {"Look", "Shown", "settle"}


def python_files() -> Iterator[Path]:
    return (p for p in (ROOT / "able_brick").rglob("*.py") if "web_dist" not in p.parts)


def tokens(path: Path) -> Iterator[tokenize.TokenInfo]:
    return tokenize.generate_tokens(io.StringIO(path.read_text()).readline)


def test_retired_names_stay_out_of_the_python_code() -> None:
    found = {
        f"{path.relative_to(ROOT)}:{t.start[0]} {t.string}"
        for path in python_files()
        for t in tokens(path)
        if t.type == tokenize.NAME and t.string.strip("_") in RETIRED
    }
    assert found == set()


def test_comments_say_it_as_an_engineer_would() -> None:
    found = {
        f"{path.relative_to(ROOT)}:{t.start[0]} {t.string.strip()}"
        for path in python_files()
        for t in tokens(path)
        if t.type == tokenize.COMMENT and UNSAID.search(t.string)
    }
    assert found == set()


def code_of(text: str) -> str:
    """A script without its comments, strings and text between tags."""
    text = text.replace("styled.aside", "")
    text = re.sub(r"/\*.*?\*/|//[^\n]*", "", text, flags=re.DOTALL)
    text = re.sub(r'"(?:[^"\\\n]|\\.)*"|`(?:[^`\\]|\\.)*`', '""', text)
    return re.sub(r">[^<>{}=]*<", "><", text)


def test_retired_names_stay_out_of_the_web_app() -> None:
    found = set()
    for path in (ROOT / "web/src").rglob("*.ts*"):
        if ".generated." in path.name or ".test." in path.name:
            continue
        names = set(re.findall(r"(?<![\w$-])[A-Za-z_$][\w$]*", code_of(path.read_text())))
        found |= {f"{path.relative_to(ROOT)} {name}" for name in names & WEB_RETIRED}
    assert found == set()
