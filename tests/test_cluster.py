"""Sweeps on a cluster, against the same sweep in this process."""

import os
import signal

import numpy as np
import pandas as pd
import pytest

import tinrocket as tr
from tinrocket.tuning import cluster

distributed = pytest.importorskip("distributed")
VARY = {
    "rocket.thrust.accel": np.linspace(100, 900, 40).tolist(),
    "rocket.turn.rate": np.linspace(60, 400, 20).tolist(),
}


@pytest.mark.slow
@pytest.mark.filterwarnings("ignore")  # of the killed worker's streams
def test_a_lost_workers_variants_are_flown_again_with_the_same_bits(monkeypatch):
    monkeypatch.setattr(cluster, "CHUNK", 50)
    rocket = tr.read_demo("rocket")
    alone, seen = tr.sweep(rocket, VARY, threads=1), []
    with (
        distributed.LocalCluster(
            n_workers=2, threads_per_worker=1, dashboard_address=None
        ) as nodes,
        distributed.Client(nodes) as client,
    ):

        def killing(done, count):
            if not seen:
                os.kill(next(iter(nodes.workers.values())).pid, signal.SIGKILL)
            seen.append((done, count))

        far = tr.sweep(rocket, VARY, cluster=client, progress=killing)
        apart = tr.sweep(rocket, {"arena.width": [900, 960.0], **VARY}, cluster=client)
    pd.testing.assert_frame_equal(far, alone, check_exact=True)
    assert seen[-1] == (800, 800)
    assert len(seen) == 16
    pd.testing.assert_frame_equal(
        apart, tr.sweep(rocket, {"arena.width": [900, 960.0], **VARY}), check_exact=True
    )


def test_an_unreachable_scheduler_is_reported():
    dask = pytest.importorskip("dask")
    with (
        dask.config.set({"distributed.comm.timeouts.connect": "1s"}),
        pytest.raises(tr.OptionError, match=r"no scheduler answers at tcp://127\.0\.0\.1:9"),
    ):
        tr.sweep(tr.read_demo("rocket"), VARY, cluster="tcp://127.0.0.1:9")
