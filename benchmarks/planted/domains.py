"""Clean tables of several trades: a library, a bakery, an orchard, a bus depot, river gauges, an animal shelter."""

from collections.abc import Callable
from datetime import date

from planted.sheet import Chance, Sheet, later, made

Domain = Callable[[Chance, int], Sheet]


def library(chance: Chance, count: int) -> Sheet:
    branches = {
        "Harbour": "Westport",
        "Old Town": "Westport",
        "Northgate": "Alton",
        "Riverside": "Alton",
        "Parkview": "Dunmere",
        "Hillcrest": "Sandford",
    }
    shelf = ["novel", "poetry", "travel", "history", "science", "children"]
    branch = chance.some(count, lambda: chance.of(list(branches)))
    lent = chance.some(count, lambda: chance.day("2024-01-02", 400))
    kept = [chance.between(1, 40) for _ in range(count)]
    numbers = list(range(300_001, 300_001 + 3 * count))
    chance.random.shuffle(numbers)
    return made(
        "library",
        {
            "loan_no": [str(one) for one in numbers[:count]],
            "lent_on": lent,
            "back_on": [later(day, days) for day, days in zip(lent, kept, strict=True)],
            "days_out": [str(days) for days in kept],
            "branch": branch,
            "town": [branches[one] for one in branch],
            "shelf": chance.some(count, lambda: chance.of(shelf, [9, 2, 3, 4, 4, 6])),
            "copy_code": chance.some(count, lambda: f"{chance.of('ABCDEF')}{chance.of('KLMN')}-{chance.between(0, 9999):04}"),
            "pages": chance.some(count, lambda: chance.skewed(280, 0.4)),
            "fine_eur": chance.some(count, lambda: f"{chance.between(0, 400) / 100:.2f}"),
        },
        key="loan_no", dates=["lent_on", "back_on"], order=["lent_on", "back_on"], computed="days_out", categories=["branch", "shelf"],
        lookup=["branch", "town"], codes="copy_code", numbers=["pages"], counts=["pages"], measures=["fine_eur"],
    )  # fmt: skip


def bakery(chance: Chance, count: int) -> Sheet:
    goods = {
        "Rye loaf": "3.20",
        "Spelt loaf": "3.90",
        "Poppy roll": "0.65",
        "Cheese straw": "1.45",
        "Plum cake": "2.80",
        "Walnut bread": "4.10",
        "Butter pretzel": "1.10",
    }
    shops = ["Market Hall", "Station Road", "Castle Street", "University"]
    item = chance.some(count, lambda: chance.of(list(goods)))
    pieces = [chance.between(1, 24) for _ in range(count)]
    return made(
        "bakery",
        {
            "receipt": [f"R{chance.between(10, 99)}-{at:05}" for at in range(1, count + 1)],
            "sold_at": chance.some(count, lambda: f"{chance.day('2025-02-03', 200)} {chance.between(6, 18):02}:{chance.between(0, 59):02}"),
            "shop": chance.some(count, lambda: chance.of(shops)),
            "item": item,
            "unit_price": [goods[one] for one in item],
            "pieces": [str(one) for one in pieces],
            "amount": [f"{float(goods[one]) * many:.2f}" for one, many in zip(item, pieces, strict=True)],
            "paid_by": chance.some(count, lambda: chance.of(["cash", "card", "voucher"], [5, 4, 1])),
            "flour_g": chance.some(count, lambda: chance.normal(455, 40, 0)),
        },
        key="receipt", categories=["shop", "item", "paid_by"], computed="amount", lookup=["item", "unit_price"], counts=["pieces"],
        numbers=["flour_g"], codes="receipt",
    )  # fmt: skip


def orchard(chance: Chance, count: int) -> Sheet:
    rows = max(6, count // 24)
    sorts = {
        "Golden Pearl": "apple",
        "Red Lantern": "apple",
        "Early Anne": "pear",
        "Amber Drop": "plum",
        "Morel Black": "cherry",
        "Long Stem": "pear",
    }
    columns: dict[str, list[str]] = {
        name: []
        for name in (
            "tree",
            "season_day",
            "variety",
            "fruit",
            "planted_year",
            "girth_cm",
            "height_m",
            "yield_kg",
            "sold_kg",
            "rest_kg",
            "share_sold_pct",
        )
    }
    trees = [
        (
            f"T{at:03}",
            chance.of(list(sorts)),
            str(chance.between(1988, 2016)),
            chance.random.gauss(60, 9),
            chance.random.gauss(4.2, 0.6),
        )
        for at in range(rows)
    ]
    days = sorted({chance.day("2024-06-01", 120) for _ in range(40)})[:24]
    for day in days:
        for tree, sort, year, girth, height in trees:
            got = round(abs(chance.random.gauss(30, 9)) + 2, 1)
            sold = round(got * chance.random.uniform(0.3, 0.95), 1)
            cells = (
                tree,
                day,
                sort,
                sorts[sort],
                year,
                f"{girth + chance.random.gauss(0, 0.4):.1f}",
                f"{height:.2f}",
                f"{got:.1f}",
                f"{sold:.1f}",
                f"{round(got - sold, 1):.1f}",
                f"{100 * sold / got:.1f}",
            )
            for name, cell in zip(columns, cells, strict=True):
                columns[name].append(cell)
    return made(
        "orchard", columns,
        together=["tree", "season_day"], categories=["variety"], lookup=["tree", "variety"], computed="rest_kg", share="share_sold_pct",
        numbers=["girth_cm"], measures=["yield_kg"], codes="tree", year="planted_year", dates=["season_day"],
    )  # fmt: skip


def depot(chance: Chance, count: int) -> Sheet:
    routes = {"12": "Harbour line", "14": "Hill line", "21": "Ring", "35": "Night bus", "40": "School run"}
    route = chance.some(count, lambda: chance.of(list(routes)))
    low = [chance.between(0, 14) for _ in range(count)]
    drivers = [f"D{chance.between(100, 999)}" for _ in range(30)]
    seats = [chance.between(20, 80) for _ in range(count)]
    standing = [chance.between(0, 25) for _ in range(count)]
    children = [chance.between(0, 15) for _ in range(count)]
    numbers = list(range(7_000_000, 7_900_000, 900_000 // (count + 1)))[:count]
    chance.random.shuffle(numbers)
    return made(
        "depot",
        {
            "trip": [str(one) for one in numbers],
            "day": chance.some(count, lambda: chance.day("2025-01-01", 150)),
            "route": [routes[one] for one in route],
            "driver": chance.some(count, lambda: chance.of(drivers)),
            "bus": chance.some(count, lambda: chance.of([f"{c}{n}" for c in "AB" for n in range(1, 10)])),
            "min_load": [str(one) for one in low],
            "max_load": [str(one + chance.between(3, 40)) for one in low],
            "seated": [str(one) for one in seats],
            "standing": [str(one) for one in standing],
            "children": [str(one) for one in children],
            "passengers": [str(a + b + c) for a, b, c in zip(seats, standing, children, strict=True)],
            "delay_min": chance.some(count, lambda: chance.normal(3, 2.5, 1)),
            "fuel_l": chance.some(count, lambda: chance.normal(38, 5, 1)),
        },
        key="trip", categories=["route"], order=["min_load", "max_load"], computed="passengers", numbers=["fuel_l"], dates=["day"],
    )  # fmt: skip


def gauges(chance: Chance, count: int) -> Sheet:
    stations = {
        "Alder Weir": ("Ashwater", 212),
        "Stone Bridge": ("Ashwater", 180),
        "Mill Race": ("Brindle", 95),
        "Salt Ford": ("Brindle", 60),
        "Upper Lock": ("Corran", 341),
    }
    days = max(20, count // len(stations))
    first = date(2024, 3, 1)
    columns: dict[str, list[str]] = {
        name: []
        for name in (
            "station",
            "river",
            "measured_on",
            "level_cm",
            "flow_m3s",
            "air_c",
            "humidity_pct",
            "ph",
            "observer",
        )
    }
    for at in range(days):
        for station, (river, _) in stations.items():
            level = chance.random.gauss(140, 22)
            cells = (
                station,
                river,
                later(str(first), at),
                f"{level:.0f}",
                chance.skewed(12, 0.5, 2),
                chance.normal(11, 5, 1),
                f"{chance.between(35, 98)}",
                chance.normal(7.4, 0.3, 2),
                chance.of(["Oak team", "Elm team", "Fir team"]),
            )
            for name, cell in zip(columns, cells, strict=True):
                columns[name].append(cell)
    return made(
        "gauges", columns, together=["station", "measured_on"], panel=["station", "measured_on"], categories=["station", "observer"], lookup=["station", "river"],
        numbers=["level_cm"], share="humidity_pct", dates=["measured_on"], measures=["air_c"],
    )  # fmt: skip


def shelter(chance: Chance, count: int) -> Sheet:
    kinds = ["cat", "dog", "rabbit", "hedgehog", "pigeon"]
    came = chance.some(count, lambda: chance.day("2023-05-01", 600))
    stay = [chance.between(1, 120) for _ in range(count)]
    food = [round(chance.random.uniform(0.4, 3.0), 2) for _ in range(count)]
    return made(
        "shelter",
        {
            "tag": [str(one) for one in chance.random.sample(range(100_000, 999_999), count)],
            "came_in": came,
            "left_on": [later(day, days) for day, days in zip(came, stay, strict=True)],
            "kind": chance.some(count, lambda: chance.of(kinds, [8, 6, 3, 2, 2])),
            "found_in": chance.some(count, lambda: chance.of(["Eastfield", "Westfield", "Birch Lane", "Quarry", "Canal Bank"])),
            "weight_kg": chance.some(count, lambda: chance.normal(6.5, 1.4, 1)),
            "age_months": chance.some(count, lambda: str(chance.between(1, 90))),
            "cost_per_day": [f"{one:.2f}" for one in food],
            "days": [str(one) for one in stay],
            "cost": [f"{one * days:.2f}" for one, days in zip(food, stay, strict=True)],
            "remarks": chance.some(count, lambda: chance.of(["calm on arrival", "limps, front left", "microchip read", "found by the canal in the evening", "needs drops twice a day"]) + f" ({chance.between(1, 400)})"),
        },
        key="tag", dates=["came_in", "left_on"], order=["came_in", "left_on"], computed="cost", categories=["kind", "found_in"], numbers=["weight_kg"],
        counts=["age_months"], free="remarks",
    )  # fmt: skip


DOMAINS: tuple[Domain, ...] = (library, bakery, orchard, depot, gauges, shelter)
