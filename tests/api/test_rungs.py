"""Rungs leave by the API and come back."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from able_brick.core.files.glb_write import write_glb
from able_brick.core.files.gltf.read import read_glb
from able_brick.core.files.scene import Node, ScenePart, ScenePartRung
from tests.api.asking import arrived, bring_in, step
from tests.api.client import Client
from tests.zoo import bumpy_ball

RUNGS = [{"kind": "share", "value": 50}, {"kind": "share", "value": 20}]


@pytest.fixture
def laddered(client: Client) -> Client:
    step(client, "add_shape", shape={"kind": "sphere"}, name="Ball")
    step(client, "line_array", "placement-1", count=3)
    made = step(client, "make_ladder", "piece-1", rungs=RUNGS)
    assert made.status_code == 200, made.text
    return client


def rows_of(client: Client, level: str, kind: str) -> list[Any]:
    return [r for r in client.get(f"/api/levels/{level}").json()["changed"] if r["kind"] == kind]


@pytest.mark.parametrize("rungs", ["lod", "names"])
def test_a_level_leaves_with_its_rungs_and_they_come_back_as_they_were(laddered: Client, rungs: str) -> None:
    plain = laddered.get("/api/levels/level-1/export.glb").content
    data = laddered.get("/api/levels/level-1/export.glb", params={"rungs": rungs}).content
    assert len(data) > len(plain) * 1.2
    assert [len(p.rungs) for p in read_glb(data).parts] == [2]
    read = arrived(laddered, {"trial.glb": data})
    assert read["sheet"]["rungs"] == 1
    assert read["sheet"]["level"] == "1 array"
    other = laddered.post("/api/levels", json={"name": "Second"}).json()["id"]
    bring_in(laddered, {"trial.glb": data}, level=other, place=True)
    first, again = rows_of(laddered, "level-1", "piece")
    assert [r["name"] for r in rows_of(laddered, other, "array")] == ["Ball row"]
    keys = ("target", "triangles", "largest", "rms", "good_from", "proven", "met")
    before, after = ([{k: r[k] for k in keys} for r in p["ladder"]["rungs"]] for p in (first, again))
    assert before == after
    assert again["dimensions"]["mesh"] == again["mesh"], "dimensions are live"


def test_a_piece_leaves_with_its_rungs(laddered: Client) -> None:
    ask = "/api/pieces/piece-1/export"
    (part,) = read_glb(laddered.get(ask, params={"rungs": "lod"}).content).parts
    assert len(part.rungs) == 2
    assert not read_glb(laddered.get(ask).content).parts[0].rungs
    refused = laddered.get(ask, params={"rungs": "lod", "format": "obj"})
    assert refused.status_code == 422
    assert "cannot hold rungs" in refused.json()["detail"]


def test_rungs_that_others_made_are_measured(client: Client) -> None:
    fine, coarse = bumpy_ball(24), bumpy_ball(8)
    part = ScenePart("Rock", fine, rungs=(ScenePartRung(coarse),))
    data = write_glb([part], [Node("Rock", 0), Node("Rock 2", 0, (9, 0, 0))], rungs="names", lean=True)
    back = bring_in(client, {"rock.glb": data}, place=True)
    rows = [r for r in back["changed"] if r["kind"] in ("piece", "placement")]
    (piece,) = (r for r in rows if r["kind"] == "piece")
    (rung,) = piece["ladder"]["rungs"]
    assert rung["triangles"] == coarse.triangle_count
    assert rung["proven"]
    assert 0 < rung["met"] <= rung["largest"] < np.ptp(fine.positions, axis=0).max()
    assert [r["name"] for r in rows if r["kind"] == "placement"] == ["Rock", "Rock 2"]
