"""Files of other libraries: MDF, Parquet, Arrow, workbooks, MATLAB, JSON lines, CAN traces."""

from __future__ import annotations

import datetime
import io
import json
import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.dressing.dress import Dress, Ware, named, wares_of
from campaigns.dressing.vocabulary import TIME
from lean_trim.core.data.log import Log

CAN_ID = 0x300


def binary_of(log: Log, dress: Dress, path: Path) -> bytes:
    """The drive as the bytes of such a file."""
    wares = wares_of(log, dress)
    if dress.kind.startswith("mdf"):
        return _mdf(log, wares, "4.10" if dress.kind == "mdf4" else "3.30", dress.shape == "slow")
    if dress.kind in ("parquet", "arrow", "arrow stream"):
        return _columnar(log, wares, dress)
    if dress.kind in ("xlsx", "ods"):
        return _workbook(log, wares, dress)
    if dress.kind.startswith("mat"):
        return _matlab(log, wares, dress)
    if dress.kind == "jsonl":
        return _json_lines(log, wares, dress)
    return _can(log, wares, dress, path)


def _head(dress: Dress) -> str:
    return named(Ware(None, dress.name_of(TIME), "s", np.empty(0), 3), dress.header)


def _mdf(log: Log, wares: Sequence[Ware], version: str, slow: bool) -> bytes:
    from asammdf import MDF, Signal

    with MDF(version=version) as mdf, tempfile.TemporaryDirectory() as folder:
        fast = wares[:-4] if slow else wares
        mdf.append([Signal(w.values, log.time_s, name=w.name, unit=w.unit) for w in fast])
        for w in wares[-4:] if slow else []:
            mdf.append([Signal(w.values[::10], log.time_s[::10], name=w.name, unit=w.unit)])
        out = mdf.save(Path(folder) / "log.mdf", overwrite=True)
        return Path(out).read_bytes()


def _columnar(log: Log, wares: Sequence[Ware], dress: Dress) -> bytes:
    import polars as pl

    frame = pl.DataFrame(
        {_head(dress): log.time_s} | {named(w, dress.header): w.values for w in wares}
    )
    stream = io.BytesIO()
    if dress.kind == "parquet":
        frame.write_parquet(stream)
    elif dress.kind == "arrow":
        frame.write_ipc(stream)
    else:
        frame.write_ipc_stream(stream)
    return stream.getvalue()


def _workbook(log: Log, wares: Sequence[Ware], dress: Dress) -> bytes:
    rows: list[list[Any]] = [[_head(dress), *(named(w, dress.header) for w in wares)]]
    if dress.header == "row":
        rows.append(["s", *(w.unit for w in wares)])
    columns = [
        np.round(log.time_s, 3).tolist(),
        *(np.round(w.values, w.digits).tolist() for w in wares),
    ]
    rows += [list(r) for r in zip(*columns, strict=True)]
    sheets = {"Notes": [["Car", "Heron"], ["Driver", "demo"]], "Drive": rows}
    stream = io.BytesIO()
    if dress.kind == "xlsx":
        import openpyxl  # type: ignore[import-untyped]

        book = openpyxl.Workbook(write_only=True)
        for name, lines in sheets.items():
            sheet = book.create_sheet(name)
            for line in lines:
                sheet.append(line)
        book.save(stream)
    else:
        import pandas as pd  # type: ignore[import-untyped]

        with pd.ExcelWriter(stream, engine="odf") as writer:
            for name, lines in sheets.items():
                pd.DataFrame(lines).to_excel(writer, sheet_name=name, header=False, index=False)
    return stream.getvalue()


def _matlab(log: Log, wares: Sequence[Ware], dress: Dress) -> bytes:
    from scipy.io import savemat as save

    savemat: Any = save

    stream = io.BytesIO()
    if dress.kind == "mat struct":
        channels = {
            _plain(w.name): {"time": log.time_s, "data": w.values, "unit": w.unit or "-"}
            for w in wares
        }
        savemat(stream, channels)
    else:
        savemat(
            stream, {"time": log.time_s} | {_plain(named(w, "suffix")): w.values for w in wares}
        )
    return stream.getvalue()


def _plain(name: str) -> str:
    return "".join(c if c.isalnum() and c.isascii() else "_" for c in name)[:31]


def _json_lines(log: Log, wares: Sequence[Ware], dress: Dress) -> bytes:
    head = [_head(dress), *(named(w, dress.header) for w in wares)]
    columns = [
        np.round(log.time_s, 3).tolist(),
        *(np.round(w.values, w.digits).tolist() for w in wares),
    ]
    lines = [
        json.dumps({h: v for h, v in zip(head, row, strict=True) if v == v}, ensure_ascii=False)
        for row in zip(*columns, strict=True)
    ]
    return ("\n".join(lines) + "\n").encode()


def _can(log: Log, wares: Sequence[Ware], dress: Dress, path: Path) -> bytes:
    import can
    import cantools

    dbc = dbc_of(wares)
    path.with_suffix(".dbc").write_text(dbc, encoding="utf-8")
    database: Any = cantools.database.load_string(dbc, "dbc")
    writer_of: dict[str, Any] = {
        "blf": can.io.BLFWriter,
        "asc": can.io.ASCWriter,
        "candump": can.io.CanutilsLogWriter,
        "trc": can.io.TRCWriter,
    }
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "trace"
        writer = writer_of[dress.kind](str(out))
        start = datetime.datetime(2026, 5, 17, 14, 3).timestamp()
        for i, t in enumerate(log.time_s.tolist()):
            for k, w in enumerate(wares):
                message = database.get_message_by_frame_id(CAN_ID + k)
                value = float(w.values[i])
                data = message.encode(
                    {message.signals[0].name: value if np.isfinite(value) else 0.0}
                )
                writer.on_message_received(
                    can.Message(
                        timestamp=start + t + 1e-4 * k,
                        arbitration_id=CAN_ID + k,
                        data=data,
                        is_extended_id=False,
                        channel=0,
                    )
                )
        writer.stop()
        return out.read_bytes()


def dbc_of(wares: Sequence[Ware]) -> str:
    """A DBC with a message per channel."""
    lines = ['VERSION ""', "", "NS_ :", "", "BS_:", "", "BU_: ECU", ""]
    for k, w in enumerate(wares):
        lines.append(f"BO_ {CAN_ID + k} Frame{k}: 8 ECU")
        unit = (
            w.unit
            if w.unit.isascii()
            else {"λ": "lambda", "°C": "degC", "°F": "degF", "µs": "us"}.get(w.unit, "")
        )
        lines.append(f' SG_ {_plain(w.name)} : 0|32@1- (0.0001,0) [0|0] "{unit}" ECU')
        lines.append("")
    return "\n".join(lines)
