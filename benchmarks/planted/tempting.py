"""Tables in which nothing is wrong, although much looks so."""

from collections.abc import Callable

from planted.sheet import Chance, Sheet, later, made

Tempting = Callable[[Chance], Sheet]
N = 400


def grades(chance: Chance) -> Sheet:
    return made("grades", {
        "pupil": [f"P{at:04}" for at in range(N)],
        "grade": chance.some(N, lambda: chance.of(["A+", "A", "A-", "B+", "B", "B-", "C"])),
        "blood_group": chance.some(N, lambda: chance.of(["A+", "A-", "B+", "B-", "AB+", "AB-", "0+", "0-"])),
        "score": chance.some(N, lambda: chance.between(20, 100)),
    })  # fmt: skip


def dice(chance: Chance) -> Sheet:
    return made(
        "dice",
        {
            "first": chance.some(N, lambda: chance.between(1, 6)),
            "second": chance.some(N, lambda: chance.between(1, 6)),
            "third": chance.some(N, lambda: chance.between(1, 6)),
        },
    )


def countries(chance: Chance) -> Sheet:
    codes = ["NA", "DE", "FR", "NO", "ZA", "ND", "US"]
    return made(
        "countries",
        {
            "shipment": [f"S-{chance.between(1000, 9999)}{at:03}" for at in range(N)],
            "to": chance.some(N, lambda: chance.of(codes)),
            "kg": chance.some(N, lambda: chance.normal(20, 4, 1)),
        },
    )


def elements(chance: Chance) -> Sheet:
    genes = ["TRP53", "Trp53", "BRCA1", "Brca1", "MYC", "Myc"]
    return made(
        "elements",
        {
            "sample": [f"Q{at:04}" for at in range(N)],
            "element": chance.some(N, lambda: chance.of(["Na", "Mg", "Ca", "K", "Cl"])),
            "unit": chance.some(N, lambda: chance.of(["mg", "Mg", "kg"])),
            "gene": chance.some(N, lambda: chance.of(genes)),
            "ppm": chance.some(N, lambda: chance.skewed(12, 1.0, 2)),
        },
    )


def allergies(chance: Chance) -> Sheet:
    return made(
        "allergies",
        {
            "guest": [f"G{at:04}" for at in range(N)],
            "allergy": chance.some(N, lambda: chance.of(["none", "nuts", "milk", "wheat"], [8, 2, 2, 1])),
            "bonus": chance.some(N, lambda: chance.of(["0", "0", "0", "50", "100", "250"])),
            "floor": chance.some(N, lambda: chance.between(-1, 6)),
        },
    )


def incomes(chance: Chance) -> Sheet:
    return made(
        "incomes",
        {
            "household": [f"H{at:05}" for at in range(2 * N)],
            "income": chance.some(2 * N, lambda: chance.skewed(31_000, 0.8)),
            "city_size": chance.some(2 * N, lambda: int(5_000 / (chance.random.random() ** 1.0 + 1e-4))),
            "children": chance.some(2 * N, lambda: chance.of(["0", "1", "2", "3", "4"], [5, 4, 3, 1, 1])),
        },
    )


def places(chance: Chance) -> Sheet:
    names = {
        "Glen Dale": "Northshire",
        "Glendale": "Southshire",
        "Anna": "Eastshire",
        "Anne": "Westshire",
        "Fairview": "Northshire",
    }
    drawn = chance.some(N, lambda: chance.of(list(names)))
    return made(
        "places", {"letter": [f"L{at:05}" for at in range(N)], "place": drawn, "county": [names[one] for one in drawn]}
    )


def notes(chance: Chance) -> Sheet:
    said = [
        "called back",
        "left a message with the neighbour",
        "no answer; will try again",
        "paid in full, thank you",
        "wants a receipt",
        "",
    ]
    return made(
        "notes",
        {
            "call": [f"C{at:04}" for at in range(N)],
            "note": chance.some(N, lambda: chance.of(said)),
            "phone": chance.some(N, lambda: f"+49 {chance.between(30, 89)} {chance.between(100000, 9999999)}"),
        },
    )


def cents(chance: Chance) -> Sheet:
    taken = chance.random.sample(range(100, 99_999), N)
    return made(
        "cents",
        {
            "amount_cents": [str(one) for one in taken],
            "booked": chance.some(N, lambda: chance.day("2025-01-01", 300)),
            "kind": chance.some(N, lambda: chance.of(["in", "out"])),
        },
    )


def plates(chance: Chance) -> Sheet:
    letters = "ABCDEFGHKLMNPRSTUVWXYZ"
    plate = chance.some(
        N,
        lambda: (
            f"{''.join(chance.of(letters) for _ in range(chance.between(1, 3)))}-{''.join(chance.of(letters) for _ in range(chance.between(1, 2)))} {chance.between(1, 9999)}"
        ),
    )
    return made(
        "plates",
        {
            "plate": plate,
            "seen": chance.some(N, lambda: f"{chance.between(0, 23):02}:{chance.between(0, 59):02}"),
            "lane": chance.some(N, lambda: chance.between(1, 4)),
        },
    )


def repeated(chance: Chance) -> Sheet:
    columns: dict[str, list[str]] = {
        name: [] for name in ("subject", "sex", "height_at_entry_cm", "visit", "group_size", "pulse")
    }
    for subject in range(60):
        sex, height, size = chance.of(["f", "m"]), chance.normal(170, 9, 0), str(chance.between(3, 9))
        for visit in range(1, 7):
            for name, cell in zip(
                columns, (f"S{subject:02}", sex, height, str(visit), size, str(chance.between(55, 95))), strict=True
            ):
                columns[name].append(cell)
    return made("repeated", columns)


def prices(chance: Chance) -> Sheet:
    return made(
        "prices",
        {
            "article": [f"A{chance.between(100, 999)}.{at:03}" for at in range(N)],
            "price": chance.some(N, lambda: f"{chance.between(1900, 2090)}"),
            "stock": chance.some(N, lambda: chance.between(0, 50)),
            "listed": chance.some(N, lambda: chance.day("2023-01-01", 700)),
        },
    )


def visits(chance: Chance) -> Sheet:
    columns: dict[str, list[str]] = {name: [] for name in ("patient", "born", "seen_on", "weight_kg")}
    for patient in range(80):
        born, weight = chance.day("1940-01-01", 25_000), chance.random.gauss(74, 12)
        for _ in range(chance.between(2, 7)):
            for name, cell in zip(
                columns,
                (
                    f"{'KLM'[patient % 3]}{1000 + patient}",
                    born,
                    chance.day("2024-01-01", 500),
                    f"{weight + chance.random.gauss(0, 1):.1f}",
                ),
                strict=True,
            ):
                columns[name].append(cell)
    return made("visits", columns)


def contracts(chance: Chance) -> Sheet:
    signed = chance.some(N, lambda: chance.day("2023-01-01", 700))
    return made(
        "contracts",
        {
            "contract": [f"V{chance.between(10, 99)}/{at:04}" for at in range(N)],
            "signed": signed,
            "valid_until": [later(day, 365 * chance.between(1, 9)) for day in signed],
            "fee": chance.some(N, lambda: chance.of(["0.00", "25.00", "40.00"])),
            "state": chance.some(N, lambda: chance.of(["open", "closed", "paused"])),
        },
    )


def temperatures(chance: Chance) -> Sheet:
    return made(
        "temperatures",
        {
            "probe": chance.some(N, lambda: chance.of(["north", "south", "roof"])),
            "read_at": [f"2025-0{1 + at // 150}-{1 + at % 28:02} {at % 24:02}:{(7 * at) % 60:02}" for at in range(N)],
            "celsius": chance.some(N, lambda: chance.normal(4, 7, 1)),
            "rain_mm": chance.some(N, lambda: "0.0" if chance.random.random() < 0.6 else chance.skewed(3, 1.0, 1)),
        },
    )


TEMPTING: tuple[Tempting, ...] = (
    grades,
    dice,
    countries,
    elements,
    allergies,
    incomes,
    places,
    notes,
    cents,
    plates,
    repeated,
    prices,
    visits,
    contracts,
    temperatures,
)
