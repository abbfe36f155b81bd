"""Three questions of the co-operative: who loses weight, whose visits are missing, which colonies lead."""

import tempfile
from pathlib import Path

import comb
from comb.demo.files import demo_bytes

# The land registry's names for three of the apiaries.
SPELLED = {"Millbrook": "Mill Brook", "Lindenrow": "Linden Row", "Heather Downs": "Heather Down"}


def main() -> None:
    with tempfile.TemporaryDirectory() as folder:
        for name in ("inspections.csv", "apiaries.csv"):
            Path(folder, name).write_bytes(demo_bytes(name))
        visits = comb.load(Path(folder, "inspections.csv"))
        places = comb.load(Path(folder, "apiaries.csv")).recode("apiary", SPELLED)

    visits = (
        visits.trim(inner=True, invisible=True)
        .calculate({"apiary": "replace(upper(substring(apiary, 1, 1)) || lower(substring(apiary, 2)), '-', ' ')"})
        .remove_duplicates("visit")
        .convert({"keeper": "string"}, missing=["n/a", "unknown"])
        .convert({"gross_kg": "decimal 0.0"}, unit="kg", decimal_mark=",")
    )
    places = places.calculate({"apiary": "upper(substring(apiary, 1, 1)) || lower(substring(apiary, 2))"})

    print("Which apiaries lost weight in October?")
    october = visits.filter("extract(month from inspected_on) = 10")
    change = {"change_kg": "round(avg(last_kg - first_kg), 2)", "colonies": "count(*)"}
    ends = {"first_kg": "first(gross_kg order by inspected_on)", "last_kg": "last(gross_kg order by inspected_on)"}
    losing = october.aggregate(ends, by=["apiary", "colony"]).aggregate(change, by="apiary")
    print(losing.filter("change_kg < 0").sort("change_kg"), end="\n\n")

    print("Whose visits are missing? Every colony should be seen every week.")
    weeks = {"keeper": "any_value(keeper)", "weeks": "count(distinct start_of('week', inspected_on))"}
    seen = visits.aggregate(weeks, by="colony").calculate({"missed": "max(weeks) - weeks"})
    missed = {"missed_visits": "sum(missed)", "colonies": "count(*) filter (where missed > 0)"}
    print(seen.aggregate(missed, by="keeper").sort("missed_visits desc"), end="\n\n")

    print("The three heaviest colonies of each region, by their mean:")
    located = visits.join(places, "apiary")
    means = located.aggregate({"mean_kg": "round(avg(net_kg), 2)"}, by=["region", "apiary", "colony"])
    print(means.pick_rows(largest="mean_kg", count=3, by="region").sort(["region", "mean_kg desc"]))


if __name__ == "__main__":
    main()
