"""Thirty kinds of clean datasets around an olive growers' cooperative.

They differ in what makes a check cry wolf: skew, zeros, natural heaps, natural codes from 1 to 9,
true duplicates, gaps in running numbers, identifiers that hardly repeat, batteries of items.
`WRITTEN` are those against which rules are written, `HELD` those on which they are reported.
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from .made import Made

VARIETIES = ("Picual", "Arbequina", "Hojiblanca", "Cornicabra", "Manzanilla", "Lechin")
PLACES = (
    *("St. Paul", "San Roque", "Villa Nueva", "Río Seco", "Monte Alto", "El Olivar"),
    *("Santa Ana", "Peña Blanca", "Las Eras", "Valle Hondo", "Casas Viejas", "La Umbría"),
)
LAST = ("Abril", "Bosque", "Cano", "Duarte", "Expósito", "Funes", "Galán", "Haro", "Ibáñez", "Jara")
FIRST = ("Ana", "Bruno", "Carla", "Diego", "Elena", "Félix", "Gema", "Hugo", "Inés", "Julián")
NOTES = (
    *("leaves in the load", "late delivery", "sample taken twice", "wet", "stones", "asked for"),
    *("driver waited", "paid in advance", "wrong gate", "second weighing", "to be called back"),
)


def person(m: Made, name: str, part: str = "person") -> None:
    """Names of people, few enough to repeat."""
    pool = [f"{m.rng.choice(FIRST)} {m.rng.choice(LAST)} {m.rng.choice(LAST)}" for _ in range(60)]
    m.words(name, sorted(set(pool)), part, 0.3)


def skewed(m: Made, middle: float, spread: float) -> np.ndarray:
    """Positive amounts, most of them small."""
    return np.asarray(m.rng.lognormal(np.log(middle), spread, m.count))


def bell(m: Made, middle: float, spread: float) -> np.ndarray:
    """Measurements around a middle."""
    return np.asarray(m.rng.normal(middle, spread, m.count))


def items(m: Made, stem: str, many: int, top: int, blank: float = 0.03, low: int = 1) -> None:
    """A battery: answers of one person resemble each other."""
    mood = m.rng.normal(0, 0.8, m.count)
    for number in range(1, many + 1):
        raw = mood + m.rng.normal(m.rng.normal(0, 0.4), 1.0, m.count)
        value = np.clip(np.round((top + low) / 2 + raw * (top - low + 1) / 5), low, top)
        m.numbers(f"{stem}{number}", "rating", value, blank=blank)
        m.battery.append(f"{stem}{number}")


def deliveries(m: Made) -> None:
    m.run("ticket", 250_000, 0.02)
    m.days("day", "2025-10-01", "2025-12-20", "sorted")
    m.words("variety", VARIETIES)
    person(m, "grower")
    gross = np.round(skewed(m, 3000, 0.5))
    tare = np.round(skewed(m, 400, 0.2))
    m.numbers("gross", "whole", gross + tare)
    m.numbers("tare", "addend", tare)
    m.numbers("net", "addend", gross)
    m.sums.append(("gross", "tare", "net"))
    m.numbers("acidity", "measure", m.rng.gamma(6, 0.07, m.count) + 0.1, 2, 0.04)


def growers(m: Made) -> None:
    m.add(
        "respondent", "identifier", (f"{each:05d}" for each in m.rng.permutation(60_000)[: m.count])
    )
    m.numbers("sex", "code", m.rng.integers(1, 3, m.count))
    m.numbers("age", "age", np.clip(bell(m, 55, 13), 19, 92))
    m.words("village", PLACES, "place")
    m.numbers("schooling", "code", m.rng.integers(1, 7, m.count))
    items(m, "q", 8, 5)
    m.numbers("hectares", "measure", skewed(m, 6, 0.8), 2)
    m.numbers("income", "measure", skewed(m, 21_000, 0.6), 0, 0.05)


def tasting(m: Made) -> None:
    m.days("session", "2025-11-01", "2026-02-20", "sorted")
    m.numbers("taster", "code", m.rng.integers(1, 10, m.count))
    m.add("sample", "identifier", (f"{each:06d}" for each in m.rng.integers(0, 999_999, m.count)))
    for name, middle in (("fruity", 4.8), ("bitter", 3.6), ("pungent", 4.1)):
        m.numbers(name, "measure", np.clip(bell(m, middle, 1.0), 0.3, 9.8), 1)
    fault = m.rng.random(m.count) < 0.15
    m.numbers("rancid", "zeros", np.where(fault, m.rng.gamma(2, 0.6, m.count), 0), 1)
    m.words("class", ("extra virgin", "virgin", "lampante"))


def laboratory(m: Made) -> None:
    m.add("sample", "identifier", (f"{each:07d}" for each in m.rng.permutation(900_000)[: m.count]))
    m.days("received", "2025-10-10", "2026-01-30", "sorted")
    m.words("method", ("ISO 660", "ISO 3960", "ISO 3656"))
    m.numbers("K232", "measure", bell(m, 1.9, 0.2), 3)
    m.numbers("K270", "measure", np.clip(bell(m, 0.15, 0.02), 0.08, None), 3)
    m.numbers("peroxide", "measure", bell(m, 8.5, 1.6).clip(3), 1, 0.06)
    m.numbers("polyphenols", "measure", skewed(m, 420, 0.35), 0)
    m.add("instrument", "constant word", ["UV-2"] * m.count)


def tanks(m: Made) -> None:
    start = np.datetime64("2025-11-01T00:00") + np.arange(m.count) * np.timedelta64(15, "m")
    m.add("time", "sorted time", (str(each).replace("T", " ") for each in start))
    drift = np.cumsum(m.rng.normal(0, 0.06, m.count))
    m.numbers(
        "temperature", "measure", 17 + drift - drift.mean() + m.rng.normal(0, 0.1, m.count), 2
    )
    m.numbers("level", "measure", 4200 - np.cumsum(np.abs(m.rng.normal(0, 0.9, m.count))), 1)
    m.numbers("humidity", "measure", bell(m, 62, 4), 1, 0.02)
    m.words("state", ("rest", "fill", "empty"), skew=2)


def ledger(m: Made) -> None:
    m.run("voucher", 18_000, 0.05)
    m.days("booked", "2025-01-02", "2025-12-30", "sorted", "%d/%m/%Y")
    m.add("account", "near key", map(str, m.rng.integers(100_000, 999_999, m.count)))
    m.words("text", NOTES, "free")
    m.numbers("amount", "measure", skewed(m, 240, 1.3), 2)
    m.words("side", ("debit", "credit"), skew=0.2)
    m.words("cleared", ("yes", "no"), "yes", 2)


def months(m: Made) -> None:
    place = np.arange(m.count)
    m.add(
        "month", "sorted month", (f"{1961 + i // 12}-{i % 12 + 1:02d}-01" for i in place.tolist())
    )
    season = 1 + np.cos(2 * np.pi * place / 12)
    m.numbers("tonnes", "measure", 900 * (0.2 + season) * m.rng.lognormal(0, 0.15, m.count))
    m.numbers(
        "price", "measure", 2.5 + 0.004 * place + np.cumsum(m.rng.normal(0, 0.03, m.count)), 3
    )
    m.numbers("exports", "measure", skewed(m, 320, 0.3))
    m.numbers("rain", "zeros", np.where(m.rng.random(m.count) < 0.3, 0, skewed(m, 30, 0.7)), 1)


def health(m: Made) -> None:
    m.add("worker", "identifier", (f"{each:06d}" for each in m.rng.permutation(200_000)[: m.count]))
    m.days("visit", "2025-01-10", "2025-11-30")
    m.numbers("age", "age", np.clip(bell(m, 44, 11), 18, 68))
    m.numbers("weight", "measure", bell(m, 76, 12).clip(45), 1, 0.02)
    m.numbers("height", "measure", bell(m, 171, 8), 0)
    heaped = np.where(m.rng.random(m.count) < 0.5, 10, 2)
    m.numbers("systolic", "heaped", np.round(bell(m, 128, 14) / heaped) * heaped)
    m.numbers(
        "pain",
        "code",
        m.rng.choice(11, m.count, p=np.array([6, 3, 3, 2, 2, 2, 1, 1, 1, 1, 1]) / 23),
    )
    m.words("smokes", ("no", "yes"), "yes")


def complaints(m: Made) -> None:
    m.run("case", 400)
    m.days("opened", "2025-01-05", "2025-12-10", "sorted")
    text = [
        " ".join(m.rng.choice(NOTES, m.rng.integers(1, 5)).tolist())
        + f", tank {m.rng.integers(1, 60)}"
        for _ in range(m.count)
    ]
    m.add("text", "free", text)
    m.words("about", ("weight", "price", "payment", "sample", "staff"))
    m.words("village", PLACES, "place", 0.5)
    m.numbers("days", "count", m.rng.poisson(6, m.count))


def waves(m: Made) -> None:
    many = -(-m.count // 4)
    ids = np.repeat(m.rng.permutation(90_000)[:many], 4)[: m.count]
    m.add("grower", "identifier repeated", (f"G{each:05d}" for each in ids.tolist()))
    m.add("wave", "code", (str(1 + i % 4) for i in range(m.count)))
    m.words("status", ("owner", "tenant", "heir"))
    m.numbers("trees", "count", np.repeat(skewed(m, 700, 0.9)[:many], 4)[: m.count])
    m.numbers("yield", "measure", bell(m, 24, 5).clip(5), 1, 0.05)
    items(m, "trust", 6, 7)


def trees(m: Made) -> None:
    i = np.arange(m.count)
    m.numbers("plot", "code", 1 + i // 60)
    m.numbers("row", "code", 1 + i % 60 // 10)
    m.numbers("tree", "code", 1 + i % 10)
    m.numbers("trunk", "measure", bell(m, 31, 6).clip(8), 1)
    m.numbers("height", "measure", bell(m, 4.2, 0.6).clip(1.5), 2)
    m.numbers(
        "vigour", "code", m.rng.choice([1, 2, 3, 4, 5], m.count, p=[0.05, 0.15, 0.4, 0.3, 0.1])
    )
    m.words("diseased", ("N", "Y"), "yes", 3)
    m.words("variety", VARIETIES[:4])


def parcels(m: Made) -> None:
    m.add(
        "parcel",
        "key text",
        (
            f"{a:03d}-{b:05d}"
            for a, b in zip(m.rng.integers(1, 30, m.count), m.rng.permutation(90_000), strict=False)
        ),
    )
    m.add(
        "postcode",
        "postcode",
        (f"{each:05d}" for each in 2_100 + 97 * m.rng.integers(0, 120, m.count)),
    )
    m.words("municipality", PLACES, "place", 0.6)
    m.numbers("area", "measure", skewed(m, 2.4, 0.9), 4)
    m.numbers("slope", "measure", m.rng.gamma(2, 4, m.count) + 0.5, 1)
    m.numbers("trees", "zeros", np.where(m.rng.random(m.count) < 0.25, 0, skewed(m, 180, 0.7)))
    m.words("irrigated", ("no", "yes"), "yes")


def staff(m: Made) -> None:
    m.run("number", 1000, 0.1)
    person(m, "name")
    born = m.days("born", "1958-01-01", "2004-12-31")
    hired = born + m.rng.integers(18 * 365, 21 * 365, m.count)
    m.dates("hired", "start", hired)
    left = np.where(
        m.rng.random(m.count) < 0.5,
        np.minimum(hired + m.rng.integers(30, 4000, m.count), 739_700),
        0,
    )
    m.dates("left", "end", left)
    m.ordered.append(("hired", "left"))
    m.words("task", ("picking", "mill", "office", "driving", "laboratory"))
    m.numbers("wage", "measure", skewed(m, 1650, 0.2), 2)


def market(m: Made) -> None:
    days = np.repeat(np.arange(730_000, 730_000 + 7 * m.count, 7), 3)[: m.count]
    m.dates("week", "sorted", days)
    m.add("grade", "word", (("extra virgin", "virgin", "lampante")[i % 3] for i in range(m.count)))
    low = 3.2 + np.cumsum(m.rng.normal(0, 0.02, m.count))
    mean = low + m.rng.gamma(3, 0.05, m.count)
    high = mean + m.rng.gamma(3, 0.05, m.count)
    m.numbers("lowest", "low", low, 3)
    m.numbers("mean", "middle", mean, 3)
    m.numbers("highest", "high", high, 3)
    m.ordered.extend([("lowest", "mean"), ("mean", "highest")])
    m.numbers("tonnes", "measure", skewed(m, 130, 0.5))


def bottles(m: Made) -> None:
    m.add(
        "article",
        "identifier repeated",
        (f"{each:08d}" for each in m.rng.choice(m.rng.integers(0, 10**8, 40), m.count)),
    )
    m.run("batch", 7_000)
    m.add(
        "ml",
        "sizes",
        (str(each) for each in m.rng.choice([250, 500, 750, 1000, 2000, 5000], m.count)),
    )
    filled = m.days("filled", "2025-11-20", "2026-03-01", "start")
    m.dates("best_before", "end", filled + m.rng.integers(500, 580, m.count))
    m.ordered.append(("filled", "best_before"))
    m.numbers("bottles", "count", skewed(m, 900, 0.6))
    m.words("label", ("gold", "green", "white"))


def irrigation(m: Made) -> None:
    m.add("parcel", "key repeated", (f"P-{each:03d}" for each in m.rng.integers(1, 90, m.count)))
    start = np.sort(m.rng.integers(0, 90 * 1440, m.count))
    base = np.datetime64("2025-06-01T00:00")
    long = m.rng.integers(20, 400, m.count)
    m.add(
        "opened",
        "start",
        (str(base + np.timedelta64(int(s), "m")).replace("T", " ") for s in start),
    )
    m.add(
        "closed",
        "end",
        (
            str(base + np.timedelta64(int(s + d), "m")).replace("T", " ")
            for s, d in zip(start, long, strict=True)
        ),
    )
    m.ordered.append(("opened", "closed"))
    m.numbers("water", "measure", long * 0.11 * m.rng.lognormal(0, 0.1, m.count), 2)
    m.words("valve", ("north", "south", "east"))


def weather(m: Made) -> None:
    m.dates("day", "sorted", np.arange(738_000, 738_000 + m.count))
    m.numbers(
        "rain", "zeros", np.where(m.rng.random(m.count) < 0.7, 0, m.rng.gamma(0.8, 9, m.count)), 1
    )
    warm = 18 + 9 * np.sin(2 * np.pi * np.arange(m.count) / 365) + m.rng.normal(0, 2, m.count)
    m.numbers("coldest", "low", warm - m.rng.gamma(9, 0.7, m.count), 1)
    m.numbers("warmest", "high", warm + m.rng.gamma(9, 0.7, m.count), 1)
    m.ordered.append(("coldest", "warmest"))
    m.numbers("wind", "measure", skewed(m, 11, 0.4), 1, 0.02)
    m.words("direction", ("N", "NE", "E", "SE", "S", "SW", "W", "NW"), skew=0.4)


def diary(m: Made) -> None:
    m.add(
        "person",
        "identifier repeated",
        (f"{each:05d}" for each in np.repeat(m.rng.permutation(99_999), 5)[: m.count]),
    )
    m.numbers("activity", "code", m.rng.integers(1, 10, m.count))
    raw = skewed(m, 60, 0.8)
    step = m.rng.choice([5, 15, 30, 1], m.count, p=[0.4, 0.3, 0.25, 0.05])
    m.numbers("minutes", "heaped", np.maximum(5, np.round(raw / step) * step))
    m.words("where", ("grove", "mill", "home", "road"))
    m.words("alone", ("yes", "no"), "yes", 0.5)
    m.numbers("effort", "code", m.rng.integers(1, 6, m.count))


def trade(m: Made) -> None:
    m.words("country", ("IT", "FR", "PT", "US", "JP", "DE", "BR", "MX", "CN", "GB"))
    m.add(
        "tariff",
        "postcode",
        (f"{each:06d}" for each in m.rng.choice([150910, 150990, 151000, 200570], m.count)),
    )
    kg = skewed(m, 2600, 1.6)
    m.numbers("kg", "measure", kg.clip(20), 1)
    m.numbers("value", "measure", kg.clip(20) * m.rng.lognormal(1.4, 0.15, m.count), 2)
    m.days("shipped", "2025-01-03", "2025-12-28", "date")
    m.words("terms", ("FOB", "CIF", "EXW"))


def quiz(m: Made) -> None:
    m.run("pupil", 1)
    skill = m.rng.normal(0, 1, m.count)
    for number in range(1, 21):
        m.numbers(
            f"item{number:02d}",
            "truth",
            (skill + m.rng.normal(0, 1.3, m.count) > m.rng.normal()) * 1,
        )
    m.numbers("minutes", "measure", bell(m, 31, 5).clip(9), 1)
    m.words("school", PLACES[:6], "place", 0.4)


def members(m: Made) -> None:
    m.run("member", 52_000, 0.2)
    person(m, "name")
    m.add(
        "phone",
        "identifier",
        (f"{each:09d}" for each in m.rng.integers(600_000_000, 699_999_999, m.count)),
    )
    items(m, "agree", 7, 9, 0.02)
    m.words("village", PLACES, "place", 0.4)
    m.numbers("shares", "count", m.rng.geometric(0.2, m.count))


def trips(m: Made) -> None:
    m.words("driver", ("Haro", "Jara", "Funes", "Cano"), "word", 0.3)
    m.days("day", "2025-10-01", "2025-12-20", "sorted")
    first = 120_000 + np.cumsum(m.rng.integers(3, 25, m.count))
    long = m.rng.integers(4, 90, m.count)
    m.numbers("km_start", "low", first)
    m.numbers("km_end", "high", first + long)
    m.numbers("km", "addend", long)
    m.ordered.append(("km_start", "km_end"))
    m.numbers("fuel", "measure", long * 0.31 * m.rng.lognormal(0, 0.1, m.count), 1)
    m.words("load", ("olives", "oil", "empty"))


def meter(m: Made) -> None:
    m.dates("day", "sorted", np.arange(738_500, 738_500 + m.count))
    used = np.round(skewed(m, 310, 0.3), 1)
    m.numbers("reading", "rising", 80_000 + np.cumsum(used), 1)
    m.numbers("used", "measure", used, 1)
    m.numbers("cost", "measure", used * m.rng.choice([0.14, 0.18, 0.21], m.count), 2)
    m.words("tariff", ("day", "night", "mixed"))


def certified(m: Made) -> None:
    m.add(
        "certificate",
        "key text",
        (
            f"OL/{each:04d}/{m.rng.integers(19, 26)}"
            for each in m.rng.permutation(9_000)[: m.count].tolist()
        ),
    )
    start = m.days("valid_from", "2019-01-01", "2025-06-30", "start")
    m.dates("valid_to", "end", start + m.rng.choice([365, 730, 1095], m.count))
    m.ordered.append(("valid_from", "valid_to"))
    m.words("organic", ("no", "yes"), "yes", 0.6)
    m.words("inspected", ("yes", "no"), "yes", 3)
    m.words("village", PLACES, "place", 0.5)
    m.numbers("hectares", "measure", skewed(m, 7, 0.7), 2)


def traps(m: Made) -> None:
    m.numbers("week", "code", 20 + np.arange(m.count) * 24 // m.count)
    m.add("trap", "key repeated", (f"T{each:02d}" for each in m.rng.integers(1, 31, m.count)))
    m.words("species", ("fruit fly", "moth", "scale"))
    m.numbers("caught", "zeros", m.rng.negative_binomial(0.5, 0.05, m.count))
    m.numbers("females", "measure", m.rng.beta(5, 5, m.count) * 100, 1, 0.04)
    m.words("bait", ("protein", "pheromone"), skew=0.3)


def soil(m: Made) -> None:
    m.add("profile", "identifier", (f"{each:05d}" for each in m.rng.permutation(40_000)[: m.count]))
    sand = np.round(m.rng.beta(4, 5, m.count) * 70 + 5, 1)
    silt = np.round((100 - sand) * m.rng.beta(4, 4, m.count), 1)
    m.numbers("fines", "whole", np.round(silt + (100 - sand - silt), 1), 1)
    m.numbers("silt", "addend", silt, 1)
    m.numbers("clay", "addend", np.round(100 - sand - silt, 1), 1)
    m.sums.append(("fines", "silt", "clay"))
    m.numbers("pH", "measure", bell(m, 7.6, 0.5), 1)
    m.numbers("carbon", "measure", skewed(m, 1.1, 0.4), 2, 0.05)
    m.numbers("horizon", "code", m.rng.integers(1, 5, m.count))


def invoices(m: Made) -> None:
    m.run("invoice", 2025_0000, 0.01)
    m.days("issued", "2025-01-02", "2025-12-29", "sorted")
    net = np.round(skewed(m, 800, 0.9), 2)
    vat = np.round(net * m.rng.choice([0.04, 0.10, 0.21], m.count), 2)
    m.numbers("net", "addend", net, 2)
    m.numbers("vat", "addend", vat, 2)
    m.numbers("due", "whole", net + vat, 2)
    m.sums.append(("due", "net", "vat"))
    person(m, "customer")
    m.words("paid", ("yes", "no"), "yes", 2)


def receipts(m: Made) -> None:
    m.words("article", ("oil 1 l", "oil 5 l", "soap", "olives", "vinegar"), "word", 0.6)
    m.numbers("pieces", "repeating", m.rng.geometric(0.6, m.count))
    m.add(
        "price",
        "repeating",
        (str(each) for each in m.rng.choice(["9.90", "44.50", "3.20", "4.10"], m.count)),
    )
    m.days("day", "2025-12-01", "2025-12-06", "sorted")
    m.words("till", ("A", "B"), "word", 0.2)
    m.words("card", ("yes", "no"), "yes", 0.4)


def assemblies(m: Made) -> None:
    m.days("held", "2001-01-01", "2025-12-01", "sorted")
    entitled = np.round(skewed(m, 400, 0.3)) + 20
    present = np.floor(entitled * m.rng.beta(6, 4, m.count))
    yes = np.floor(present * m.rng.beta(7, 3, m.count))
    m.numbers("entitled", "high", entitled)
    m.numbers("present", "whole", present)
    m.numbers("in_favour", "addend", yes)
    m.numbers("against", "addend", present - yes)
    m.sums.append(("present", "in_favour", "against"))
    m.ordered.append(("in_favour", "entitled"))
    m.words("village", PLACES, "place", 0.3)


def markers(m: Made) -> None:
    m.add(
        "plant",
        "key text",
        (f"OC-{each:04d}" for each in m.rng.permutation(9000)[: m.count].tolist()),
    )
    for number in range(1, 13):
        p = m.rng.uniform(0.2, 0.5)
        m.add(
            f"locus{number:02d}",
            "genotype",
            m.rng.choice(["AA", "AB", "BB"], m.count, p=[p * p, 2 * p * (1 - p), (1 - p) ** 2]),
        )
    m.numbers("oleic", "measure", bell(m, 72, 3.4), 2)
    m.words("variety", VARIETIES)


Kind = Callable[[Made], None]
ALL: tuple[Kind, ...] = (
    *(deliveries, growers, tasting, laboratory, tanks, ledger, months, health, complaints, waves),
    *(trees, parcels, staff, market, bottles, irrigation, weather, diary, trade, quiz),
    *(members, trips, meter, certified, traps, soil, invoices, receipts, assemblies, markers),
)
HELD: tuple[Kind, ...] = ALL[1::2]
WRITTEN: tuple[Kind, ...] = ALL[0::2]


def made(kind: Kind, seed: int) -> Made:
    """A clean dataset of a kind."""
    rng = np.random.default_rng([seed, ALL.index(kind)])
    m = Made(rng, int(rng.integers(220, 700)))
    kind(m)
    return m.finish()
