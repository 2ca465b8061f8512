"""Native code that writes by its own means: none of it gets a file, a socket or a process out of the cage."""

import os
from pathlib import Path

import pytest

from dreck.trial.sandbox import kernel
from dreck.trial.server import Version, run_trial

pytestmark = pytest.mark.skipif(not kernel.offered(), reason="the kernel offers no walls here")

WRITERS = {
    "pandas": ("import pandas as pd", "pd.DataFrame({'kilos': [1]}).to_csv(MARK)"),
    "pandas, parquet": ("import pandas as pd, pyarrow", "pd.DataFrame({'kilos': [1]}).to_parquet(MARK)"),
    "pyarrow": ("import pyarrow as pa, pyarrow.parquet", "pa.parquet.write_table(pa.table({'kilos': [1]}), MARK)"),
    "pyarrow, a file": ("import pyarrow as pa", "pa.OSFile(MARK, 'wb')"),
    "pyarrow, a map": ("import pyarrow as pa", "pa.memory_map(MARK, 'w')"),
    "lxml": ("import lxml.etree as et", "et.ElementTree(et.Element('bin')).write(MARK)"),
    "h5py": ("import h5py", "h5py.File(MARK, 'w')"),
    "polars": ("import polars as pl", "pl.DataFrame({'kilos': [1]}).write_csv(MARK)"),
    "polars, parquet": ("import polars as pl", "pl.DataFrame({'kilos': [1]}).write_parquet(MARK)"),
    "duckdb": ("import duckdb", "duckdb.connect(MARK).execute('create table bins (kilos int)')"),
    "duckdb, a copy": ("import duckdb", 'duckdb.sql("copy (select 1) to \'" + MARK + "\'")'),
    "lmdb": ("import lmdb", "lmdb.open(MARK)"),
    "numpy": ("import numpy as np", "np.array([1]).tofile(MARK)"),
    "numpy, a map": ("import numpy as np", "np.memmap(MARK, mode='w+', shape=(1,))"),
    "sqlite3": ("import sqlite3", "sqlite3.connect(MARK).execute('create table bins (kilos int)')"),
    "readline": ("import readline", "readline.write_history_file(MARK)"),
    "dbm": ("import dbm.gnu", "dbm.gnu.open(MARK, 'c')"),
    "a fifo": ("import os", "os.mkfifo(MARK)"),
    "faulthandler": ("import faulthandler", "faulthandler.dump_traceback(os.open(MARK, os.O_CREAT | os.O_WRONLY))"),
}


@pytest.mark.parametrize("name", WRITERS)
def test_nothing_is_written(name: str, tmp_path: Path):
    brings, writes = WRITERS[name]
    for module in brings.removeprefix("import ").split(", "):
        pytest.importorskip(module.partition(" as ")[0])
    mark = tmp_path / "escaped"
    code = f"import os\n{brings}\nMARK = {str(mark)!r}\n\ndef f(a):\n    if not a:\n        return 0\n    {writes}\n    return 1\n"
    other = code.replace("return 1", "return 2")
    found = run_trial(Version(tmp_path / "m.py", code, "f"), Version(tmp_path / "m.py", other, "f"))
    assert not mark.exists()
    assert found.difference is None, "it got past the act"
    assert not os.path.lexists(mark)


SHARED = """
from multiprocessing import shared_memory


def f(a):
    if not a:
        return 0
    shared_memory.SharedMemory("dreck-test", create=True, size=8)
    return 1
"""


def test_no_shared_memory(tmp_path: Path):
    version = Version(tmp_path / "m.py", SHARED, "f")
    run_trial(version, Version(tmp_path / "m.py", SHARED.replace("return 1", "return 2"), "f"))
    assert not Path("/dev/shm/dreck-test").exists()
