"""The dresses: by name, and at random."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from campaigns.dressing.dress import HEADERS, Dress, with_mixture
from campaigns.dressing.scales import MANIFOLD, MIXTURE, SCALES
from campaigns.dressing.vocabulary import NAMES
from lean_trim.core.data.channels import Role

P = (Role.MAP, Role.BARO, Role.FUEL_DP)
T = (Role.IAT, Role.COOLANT)
TRIMS = (Role.STFT, Role.LTFT)
PREAMBLE = ("Session export", "Car: Heron, rain, soft tyres", "Interval; 40 ms", "", "")
FOOTER = ("End of session", "17234 samples written")
CODE_PAGES = {
    "ru": ("cp1251", "koi8-r", "cp866"),
    "ja": ("cp932", "euc-jp"),
    "zh": ("gb18030", "gbk"),
    "pl": ("cp1250",),
    "de": ("cp1252", "latin-1"),
    "fr": ("cp1252",),
    "es": ("latin-1",),
    "it": ("latin-1",),
    "pt": ("cp1252",),
}


def _all(roles: tuple[Role, ...], scale: str) -> dict[Role, str]:
    return dict.fromkeys(roles, scale)


def _named() -> list[Dress]:
    d = Dress()
    semi = replace(d, delimiter=";", decimal=",")
    out = [replace(d, name="plain"), replace(d, name="shuffled", marks={"shuffled": True})]
    for words in NAMES:
        out.append(replace(d, name=f"names {words}", words=words))
        out.append(
            replace(
                semi, name=f"names {words}, semicolons, units in a row", words=words, header="row"
            )
        )
        out.append(replace(d, name=f"names {words}, no units", words=words, header="none"))
        out.append(
            replace(d, name=f"names {words}, decoys", words=words, decoys=True, header="round")
        )
    for words, pages in CODE_PAGES.items():
        for page in pages:
            out.append(
                replace(
                    semi,
                    name=f"{words} in {page}",
                    words=words,
                    encoding=page,
                    header="round",
                    scales=_all((Role.LAMBDA, Role.TARGET), "AFR"),
                )
            )
    # Lambda and the degree sign are not in every code page, so those dresses go without units of
    # that kind.
    for encoding, mark in (
        ("utf-16-le", b"\xff\xfe"),
        ("utf-16-be", b"\xfe\xff"),
        ("utf-16-le", b""),
        ("utf-8", b"\xef\xbb\xbf"),
    ):
        out.append(
            replace(d, name=f"{encoding} mark {len(mark)}", encoding=encoding, marks={"mark": mark})
        )
    for header in HEADERS:
        out.append(replace(d, name=f"header {header}", header=header))
        out.append(replace(d, name=f"header {header}, short names", header=header, words="short"))
    for delimiter, label in (
        (",", "comma"),
        (";", "semicolon"),
        ("\t", "tab"),
        ("|", "pipe"),
        ("  ", "blanks"),
    ):
        words = "short" if delimiter == "  " else "plain"
        header = "none" if delimiter == "  " else "brackets"
        out.append(
            replace(d, name=f"delimiter {label}", delimiter=delimiter, words=words, header=header)
        )
        if delimiter != ",":
            out.append(
                replace(
                    d,
                    name=f"delimiter {label}, decimal comma",
                    delimiter=delimiter,
                    decimal=",",
                    words=words,
                    header=header,
                )
            )
    out.append(replace(d, name="one blank", delimiter=" ", words="short", header="none"))
    out.append(replace(d, name="all quoted", quoted=True))
    out.append(replace(d, name="quoted decimal comma", quoted=True, decimal=","))
    out.append(
        replace(
            d,
            name="unquoted decimal comma between commas",
            decimal=",",
            marks={"bare": True},
            clear=False,
        )
    )
    for thousands, decimal, delimiter in (
        (",", ".", ","),
        (",", ".", ";"),
        (".", ",", ";"),
        (" ", ",", ";"),
        ("'", ".", ","),
        ("\u00a0", ",", ";"),
        ("\u202f", ",", "\t"),
    ):
        out.append(
            replace(
                d,
                name=f"thousands {thousands!r} decimal {decimal!r}",
                thousands=thousands,
                decimal=decimal,
                delimiter=delimiter,
            )
        )
    out.append(replace(d, name="Unicode minus", marks={"minus": "−"}))
    out.append(replace(d, name="blank words", marks={"blank": "N/A"}))
    out.append(replace(d, name="preamble and footer", preamble=PREAMBLE, footer=FOOTER))
    out.append(replace(semi, name="preamble, footer, semicolons", preamble=PREAMBLE, footer=FOOTER))
    out.append(replace(d, name="repeated header", repeated=True))
    out.append(replace(d, name="repeated header and units row", repeated=True, header="row"))
    out.append(replace(d, name="DOS line ends", newline="\r\n"))
    out.append(replace(d, name="trailing separators", marks={"trailing": True}))
    for time in (
        "ms",
        "us",
        "ns",
        "m:s",
        "clock",
        "clock comma",
        "ISO",
        "ISO zone",
        "date and time",
        "am pm",
        "day serial",
        "epoch",
        "epoch ms",
    ):
        for header in ("brackets", "none"):
            delimiter = ";" if "comma" in time else ","
            out.append(
                replace(
                    d,
                    name=f"time {time}, header {header}",
                    time=time,
                    header=header,
                    delimiter=delimiter,
                )
            )
    for shape in ("long", "groups", "in turn", "slow blank"):
        for words in ("plain", "de", "short"):
            out.append(replace(d, name=f"shape {shape}, {words}", shape=shape, words=words))
    for pack in ("gzip", "zstd", "bz2", "xz", "zip"):
        out.append(replace(d, name=f"packed {pack}", pack=pack))
    for kind in (
        "parquet",
        "arrow",
        "arrow stream",
        "mdf4",
        "mdf3",
        "xlsx",
        "ods",
        "mat",
        "mat struct",
        "jsonl",
        "blf",
        "asc",
        "candump",
        "trc",
    ):
        brief = {"last_s": 150.0} if kind in ("ods", "blf", "asc", "candump", "trc") else {}
        out.append(replace(d, name=f"file {kind}", kind=kind, marks=brief))
        out.append(
            replace(
                d,
                name=f"file {kind}, short",
                kind=kind,
                words="short",
                header="suffix",
                marks=brief,
            )
        )
    out.append(replace(d, name="file mdf4, slow", kind="mdf4", shape="slow"))
    out.append(replace(d, name="file mdf4, gzip", kind="mdf4", pack="gzip"))
    for scale in MANIFOLD:
        baro = scale.removeprefix("gauge ") if scale.startswith("gauge") else scale
        scales = {Role.MAP: scale, Role.BARO: baro}
        for header in ("brackets", "none"):
            out.append(
                replace(d, name=f"pressure {scale}, header {header}", scales=scales, header=header)
            )
        out.append(
            replace(
                d,
                name=f"pressure {scale}, no barometer",
                scales=scales,
                without=frozenset((Role.BARO,)),
                clear=not scale.startswith("gauge"),
            )
        )
    for scale in ("F", "K"):
        for header in ("brackets", "none"):
            out.append(
                replace(
                    d,
                    name=f"temperature {scale}, header {header}",
                    scales=_all(T, scale),
                    header=header,
                )
            )
    for scale in MIXTURE:
        for header in ("brackets", "none"):
            out.append(
                replace(
                    with_mixture(d, scale), name=f"mixture {scale}, header {header}", header=header
                )
            )
        out.append(replace(d, name=f"only lambda in {scale}", scales={Role.LAMBDA: scale}))
        out.append(
            replace(
                with_mixture(d, scale),
                name=f"mixture {scale}, no target",
                without=frozenset((Role.TARGET,)),
            )
        )
    for scale in SCALES[Role.STFT]:
        for header in ("brackets", "none"):
            out.append(
                replace(
                    d,
                    name=f"trims {scale}, header {header}",
                    scales=_all(TRIMS, scale),
                    header=header,
                )
            )
        out.append(
            replace(
                d,
                name=f"trims {scale}, no pulse width",
                scales=_all(TRIMS, scale),
                header="none",
                without=frozenset((Role.PULSE_WIDTH,)),
                clear=scale != "fraction",
            )
        )
    for scale in SCALES[Role.PULSE_WIDTH]:
        for header in ("brackets", "none"):
            out.append(
                replace(
                    d,
                    name=f"pulse width {scale}, header {header}",
                    scales={Role.PULSE_WIDTH: scale},
                    header=header,
                )
            )
    out.append(replace(d, name="battery mV", scales={Role.BATTERY: "mV"}))
    out.append(
        replace(d, name="throttle fraction", scales={Role.THROTTLE: "fraction"}, header="none")
    )
    out.append(replace(d, name="mph", scales={Role.SPEED: "mph"}))
    out += _of_other_cars(d, semi)
    for on, off in (
        ("ON", "OFF"),
        ("CL", "OL"),
        ("Closed loop", "Open loop"),
        ("ja", "nein"),
        ("1", "0"),
    ):
        out.append(replace(d, name=f"state {on}/{off}", marks={"words": (on, off)}))
    return out


def _of_other_cars(d: Dress, semi: Dress) -> list[Dress]:
    """A car with an airflow sensor and a car on E85: names, scales, vacuum."""
    out = []
    for words in NAMES:
        out.append(replace(d, name=f"airflow sensor, names {words}", words=words, car="tern"))
        out.append(
            replace(
                d,
                name=f"airflow sensor, {words}, no units",
                words=words,
                car="tern",
                header="none",
                # An equivalence ratio or richesse without a unit may be φ, and this car has no
                # target table.
                clear=words not in ("J1979", "fr"),
            )
        )
    for scale in ("λ", "AFR", "AFR 14.7", "φ"):
        for header in ("brackets", "none"):
            out.append(
                replace(
                    with_mixture(semi, scale),
                    name=f"E85, mixture {scale}, header {header}",
                    header=header,
                    car="heron E85",
                    # Without units, 9.8 and 14.7 are told by the target table alone.
                    clear=scale != "φ" or header != "none",
                )
            )
    out.append(replace(d, name="airflow sensor in kHz", car="tern", scales={Role.MAF_HZ: "kHz"}))
    for scale in ("vacuum kPa", "vacuum inHg"):
        out.append(replace(d, name=scale, scales={Role.MAP: scale}))
    return out


NAMED: list[Dress] = _named()


def random_dress(seed: int) -> Dress:
    """Everything at random, as long as a person could read it."""
    rng = np.random.default_rng([seed, 11])

    def pick(*options: str) -> str:
        return str(options[int(rng.integers(len(options)))])

    words = pick(*NAMES)
    delimiter = pick(",", ",", ";", "\t", "|")
    decimal = "," if delimiter != "," and rng.random() < 0.6 else "."
    pressure = pick("kPa", "kPa", "psi", "bar", "mbar", "inHg", "hPa")
    gauge = pressure in ("kPa", "psi", "bar") and rng.random() < 0.25
    mixture = pick("λ", "λ", "AFR", "AFR 14.7", "φ", "F/A")
    scales = {
        Role.MAP: f"gauge {pressure}" if gauge else pressure,
        Role.BARO: pressure,
        **_all(T, pick("C", "C", "F", "K")),
        **_all((Role.LAMBDA, Role.TARGET), mixture),
        **_all(TRIMS, pick("%", "%", "%", "fraction", "factor", "of 100")),
        Role.PULSE_WIDTH: pick("ms", "ms", "us", "s"),
        Role.SPEED: pick("km/h", "mph"),
    }
    header = pick("brackets", "brackets", "round", "row", "none")
    encoding = pick("utf-8", "utf-8", "utf-8", "utf-16-le")
    without = frozenset(
        r for r in (Role.SPEED, Role.SPARK, Role.KNOCK, Role.FUEL_DP) if rng.random() < 0.3
    )
    thousands = pick("", "", "", ".", "\u00a0") if decimal == "," else pick("", "", "", "", ",")
    shape = pick("wide", "wide", "wide", "wide", "slow blank", "in turn", "groups")
    bare = header == "none" or (shape == "groups" and header == "row")
    return Dress(
        name=f"random {seed}",
        clear=not bare or mixture in ("λ", "AFR", "AFR 14.7"),
        words=words,
        scales=scales,
        header=header,
        delimiter=delimiter,
        decimal=decimal,
        thousands=thousands,
        encoding=encoding,
        newline=pick("\n", "\r\n"),
        quoted=rng.random() < 0.15,
        preamble=PREAMBLE if rng.random() < 0.3 else (),
        footer=FOOTER if rng.random() < 0.15 else (),
        repeated=rng.random() < 0.1,
        time=pick(
            "s",
            "s",
            "ms",
            "us",
            "clock",
            "ISO",
            "m:s",
            "epoch",
            "day serial",
            "date and time",
            "am pm",
        ),
        shape=shape,
        pack=pick("", "", "", "gzip", "zstd", "zip"),
        decoys=rng.random() < 0.35,
        without=without,
        marks={
            "shuffled": rng.random() < 0.4,
            "mark": b"\xff\xfe" if encoding == "utf-16-le" else b"",
        },
    )
