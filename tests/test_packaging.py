"""What lies around the package: forges, hooks, citation; each says what the package says."""

import re
import shutil
import subprocess
import sys
import tomllib
from pathlib import Path

import pytest
import yaml

import ramulus as rm

ROOT = Path(__file__).resolve().parent.parent
PROJECT = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]


def read(name):
    return yaml.safe_load((ROOT / name).read_text(encoding="utf-8"))


def test_versions_are_said_alike():
    pythons = [found for one in PROJECT["classifiers"] for found in re.findall(r":: (3\.\d+)$", one)]
    assert read("CITATION.cff")["version"] == rm.__version__ and read("CITATION.cff")["license"] == PROJECT["license"]
    assert read(".github/workflows/ci.yml")["jobs"]["ci"]["strategy"]["matrix"]["python"] == pythons
    assert read(".gitlab-ci.yml")["ci"]["parallel"]["matrix"] == [{"PYTHON": pythons}]
    container = (ROOT / "Containerfile").read_text(encoding="utf-8")
    assert f"python:{pythons[-1]}-" in container and f">={pythons[0]}" == PROJECT["requires-python"]
    extras = re.findall(r"/source\[(.*)\]", container)[0].split(",")
    assert set(extras) <= set(PROJECT["optional-dependencies"]) and "ramulus compile" in container


def test_forges_and_hooks_run_what_we_run():
    assert "bash .ci/run" in str(read(".github/workflows/ci.yml")) and "bash .ci/run" in str(read(".gitlab-ci.yml"))
    check = (ROOT / "dev").read_text(encoding="utf-8")
    for hook in read(".pre-commit-config.yaml")["repos"][0]["hooks"]:
        assert hook["entry"].replace("ruff format", "ruff format --check").split(" --force")[0] in check
    for form in (ROOT / ".github/ISSUE_TEMPLATE").glob("*.yml"):
        parts = read(form)["body"]
        assert {part["type"] for part in parts} == {"textarea"} and len({part["id"] for part in parts}) == len(parts)


@pytest.mark.skipif(sys.platform == "win32" or not shutil.which("bash"), reason="the hook is a line of a shell")
def test_the_hook_checks_each_design_it_is_given(canopy, tmp_path):
    wrong = tmp_path / "wrong.toml"
    wrong.write_text(canopy.read_text(encoding="utf-8").replace("max_level = 40", "max_level = 1"), encoding="utf-8")
    (hook,) = read(".pre-commit-hooks.yaml")
    assert re.search(hook["files"], "designs/forest/canopy.toml")
    run = f"ramulus() {{ '{sys.executable}' -m ramulus \"$@\"; }}; export -f ramulus; {hook['entry']} "
    ends = {}
    for files in ([canopy], [canopy, wrong], ["--strict", canopy]):
        done = subprocess.run(["bash", "-c", run + " ".join(map(str, files))], capture_output=True, text=True)
        ends[len(files), "--strict" in files] = done.returncode
        assert f"{files[-1]}: " in done.stdout and "Traceback" not in done.stderr
    assert ends == {(1, False): 0, (2, False): 1, (2, True): 1}
