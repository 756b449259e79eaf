"""One computation, two of its three doors: the topic table and the command line."""

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

from orange_crank.core.errors import InputProblem
from orange_crank.core.topics import TOPICS, calculate, find_topic

PLATE = {"volts": 230, "phase": 1, "compressors": [{"rla_a": 16.7, "lra_a": 97}]}


def command(*words: str, entry: str | bytes = b"") -> subprocess.CompletedProcess[bytes]:
    data = entry.encode() if isinstance(entry, str) else entry
    return subprocess.run(
        [sys.executable, "-m", "orange_crank.cli", "calc", *words],
        input=data,
        capture_output=True,
        check=False,
    )


@pytest.mark.parametrize("name", TOPICS)
def test_each_topic_has_a_schema_of_both_sides(name: str) -> None:
    schema: Any = find_topic(name).schema()
    assert "properties" in schema["input"]
    assert "properties" in schema["output"]


def test_an_unknown_topic_names_those_there_are() -> None:
    with pytest.raises(InputProblem, match="one of plate, inrush, compare"):
        find_topic("plumbing")


def test_the_command_prints_one_json_object() -> None:
    done = command("plate", entry=json.dumps(PLATE))
    assert 0 == done.returncode
    assert 20.875 == json.loads(done.stdout)["mca_a"]


@pytest.mark.parametrize(
    "entry",
    [
        '{"volts":',
        b"\xff\xfe\x00",
        "",
        "[]",
        "null",
        '{"volts": NaN}',
        '{"volts": 1e999}',
        '{"volts": "230"}',
    ],
)
def test_bad_input_exits_2_with_a_problem_on_standard_error(entry: str | bytes) -> None:
    done = command("plate", entry=entry)
    assert 2 == done.returncode
    assert done.stdout == b""
    problem = json.loads(done.stderr)
    assert {"field", "wanted", "got"} <= set(problem["errors"][0])


def test_lines_answer_each_line_and_a_bad_one_with_its_problem() -> None:
    lines = "\n".join([json.dumps(PLATE), "{", json.dumps({**PLATE, "volts": 0}), json.dumps(PLATE)])
    done = command("plate", "--lines", entry=lines)
    answers = [json.loads(line) for line in done.stdout.splitlines()]
    assert 0 == done.returncode
    assert [False, True, True, False] == ["problem" in a for a in answers]


def test_the_command_prints_a_schema() -> None:
    schema = json.loads(command("inrush", "--schema").stdout)
    assert {"input", "output"} <= set(schema)


@pytest.mark.parametrize("entry", ['{"volts":' + "9" * 5000 + "}", "[" * 5000, '{"a":' * 3000])
def test_absurd_json_is_refused_without_falling_over(entry: str) -> None:
    with pytest.raises(InputProblem):
        calculate("plate", entry)


def test_a_sweep_writes_csv_and_a_bad_one_says_which_field(tmp_path: Path) -> None:
    start = {"plate": PLATE | {"run_cap_uf": 45}, "duration_s": 0.4}
    spec, out = tmp_path / "spec.json", tmp_path / "out.csv"

    def sweep(vary: list[dict[str, Any]]) -> subprocess.CompletedProcess[bytes]:
        spec.write_text(json.dumps({"start": start, "vary": vary}))
        words = [sys.executable, "-m", "orange_crank.cli", "sweep", str(spec), "-o", str(out)]
        return subprocess.run(words, capture_output=True, check=False)

    done = sweep([{"field": "source.volts", "values": [200, 230]}])
    assert 0 == done.returncode, done.stderr
    assert 3 == len(out.read_text("utf-8").splitlines())
    refused = sweep([{"field": "source.horses", "values": [1]}])
    assert 2 == refused.returncode
    assert "source.horses" == json.loads(refused.stderr)["errors"][0]["field"]
