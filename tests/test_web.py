"""What runs in the browser: its own tests, its types, and that the bundles are those that its sources give."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

import ramulus as rm
from ramulus.page.html import bench_page_of

WEB = Path(__file__).parent.parent / "web"
BUILT = Path(__file__).parent.parent / "src" / "ramulus" / "page" / "templates"
pytestmark = pytest.mark.skipif(
    shutil.which("npm") is None or not (WEB / "node_modules").is_dir(), reason="Node.js, or npm ci in web/, is missing"
)


def npm(*words):
    ran = subprocess.run(["npm", *words], cwd=WEB, capture_output=True, text=True, timeout=120, check=False)
    assert ran.returncode == 0, ran.stdout + ran.stderr


def validate(*pages):
    npm("exec", "--", "html-validate", "--config", ".htmlvalidate.json", *pages)


def test_its_own_tests_pass():
    npm("test")


def test_the_pages_are_valid_html(canopy, tmp_path):
    design = rm.load_design(canopy)
    rm.report(design, tmp_path / "page.html", players=50, variants={"softer": design.with_values({"steepness": 1.4})})
    (tmp_path / "bench.html").write_text(bench_page_of("<Canopy> & more", 'a "b".toml'), encoding="utf-8")
    (tmp_path / "wrong.html").write_text("<!DOCTYPE html><html lang='en'><title>a</title><p><div>a</div></p></html>")
    pages = [str(tmp_path / name) for name in ("page.html", "bench.html")]
    validate(*pages)
    with pytest.raises(AssertionError, match="close-order"):
        validate(str(tmp_path / "wrong.html"))


def test_its_types_hold():
    npm("run", "check")


def test_a_build_gives_the_bytes_that_are_shipped(tmp_path):
    npm("run", "build", "--", str(tmp_path))
    names = sorted(path.name for path in tmp_path.iterdir())
    assert names == ["bench.LICENSE.txt", "bench.js", "hands.js"]
    for name in names:
        assert (tmp_path / name).read_bytes() == (BUILT / name).read_bytes(), f"{name}: npm run build in web/"
