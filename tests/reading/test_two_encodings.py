"""Files of lines in UTF-8 and of lines in a second encoding, as they come of putting two exports below each other."""

import io
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import comb
from comb.reading.io.encoding import decode
from comb.reading.io.transcode import transcoded

WORDS = {
    "windows-1252": ["José,Málaga", "Núñez,Güímar", "Peña,León"],
    "windows-1250": ["Šárka,Plzeň", "Ždár,Třebíč", "Děčín,Kolín"],
    "windows-1251": ["Мария,Пасека", "Улей,Воск", "Ольха,Липа, Мёд и перга"],
    "mac-roman": ["José,Málaga", "Núñez,Güímar", "Peña,León"],
}
PLAIN = ["Ada,Mill Brook", "Ben,Fox Hollow", ""]


@given(st.sampled_from(sorted(WORDS)), st.data())
def test_each_line_is_read_in_its_own_encoding(second: str, data: st.DataObject) -> None:
    good = data.draw(st.lists(st.sampled_from(WORDS["windows-1252"] + WORDS["windows-1250"]), min_size=2, max_size=12))
    # One word is not always enough to tell the encodings of one alphabet.
    other = WORDS[second] + data.draw(st.lists(st.sampled_from(WORDS[second]), max_size=12))
    plain = data.draw(st.lists(st.sampled_from(PLAIN), max_size=10))
    lines = data.draw(st.permutations([*((one, "utf-8") for one in good + plain), *((one, second) for one in other)]))
    source = b"name,place\n" + b"\n".join(text.encode(codec) for text, codec in lines)
    text = "name,place\n" + "\n".join(text for text, _ in lines)
    whole = decode(source, "t.csv")
    assert (whole.text, whole.encoding, whole.bad) == (text, f"utf-8+{second}", ())
    piece = data.draw(st.integers(5, 200))
    made = transcoded(io.BytesIO(source), "t.csv", io.BytesIO, piece=piece)
    assert b"".join(iter(lambda: made.read(50), b"")).decode() == text
    assert (made.decoded().encoding, made.decoded().why) == (whole.encoding, whole.why)
    # What is said can be given.
    assert decode(source, "t.csv", whole.encoding).text == text
    again = transcoded(io.BytesIO(source), "t.csv", io.BytesIO, whole.encoding, piece=piece)
    assert b"".join(iter(lambda: again.read(50), b"")).decode() == text


@pytest.mark.parametrize(
    ("source", "encoding"),
    [
        # Text in one encoding.
        ("\n".join(WORDS["windows-1252"]).encode("cp1252"), "windows-1252"),
        ("\n".join(WORDS["windows-1251"] * 3).encode("cp1251"), "windows-1251"),
        ("\n".join(WORDS["windows-1251"] * 3).encode("cp866"), "cp866"),
        ("名前,東京\n鈴木,大阪\n指,山".encode("cp932"), "shift_jis"),
        ("蜂蜜,北京\n养蜂,上海\n指,山".encode("gb18030"), "gb18030"),
        # UTF-8 in which bytes are bad: cut behind half a character, or no word in any encoding.
        ("Zürich,Bär\nKöln,Jäger\nLübeck,Z".encode() + b"\xc3\n", "utf-8"),
        ("Zürich,Bär\nKöln,Jäger\nLübeck,kg ".encode() + b"\xe2\x80,4\n", "utf-8"),
        ("Zürich,Bär\nKöln,Jäger\nLübeck,".encode() + b"\xff\xfe,4\n", "utf-8"),
        ("Zürich,Bär\nKöln,Jäger\nLübeck,A".encode() + b"\x80\n", "utf-8"),
    ],
)
def test_one_encoding_stays_one(source: bytes, encoding: str) -> None:
    assert decode(source, "t.csv").encoding == encoding
    made = transcoded(io.BytesIO(source), "t.csv", io.BytesIO, piece=9)
    assert made.decoded().encoding == encoding


def test_it_is_said_at_once_and_holds_in_a_plan(tmp_path: Path) -> None:
    rows = [
        "Müller,Zürich".encode(),
        "Zoë,Köln".encode(),
        "José,Málaga".encode("cp1252"),
        "Noël,Orléans".encode("cp1252"),
    ]
    (tmp_path / "t.csv").write_bytes(b"name,place\n" + b"\n".join(rows))
    table = comb.load(tmp_path / "t.csv")
    assert table["place"].to_list() == ["Zürich", "Köln", "Málaga", "Orléans"]
    assert "two encodings: UTF-8, and in lines 4, 5 windows-1252; reads José" in table.sentence()
    many = comb.load(b"name,place\n" + b"\n".join(rows * 1_000))
    assert "and in lines 4, 5, 8, 9, 12 and 1,995 more windows-1252; reads" in many.sentence()
    table.trim("name").plan().save(tmp_path / "plan.yaml")
    assert "utf-8+windows-1252" in (tmp_path / "plan.yaml").read_text()
    outcome = comb.Plan.load(tmp_path / "plan.yaml").run()
    assert next(iter(outcome.tables.values()))["name"].to_list() == ["Müller", "Zoë", "José", "Noël"]
    assert "line 4" in str(table.place(3, "name"))
    (tmp_path / "t.json").write_bytes(b'[{"name": "' + b'"},\n{"name": "'.join(rows) + b'"}]')
    assert comb.load(tmp_path / "t.json")["name"].to_list()[2] == "José,Málaga"


@pytest.mark.parametrize(
    ("encoding", "says"),
    [
        ("utf-8+windows-1252", "the bytes 81 are neither UTF-8 nor cp1252"),
        ("utf-8+utf-16", "no text encoding is called 'utf-8+utf-16'"),
        ("latin-1+utf-8", "no text encoding is called"),
        ("utf-8+nothing", "no text encoding is called"),
    ],
)
def test_what_cannot_be_read_so_is_refused_with_its_line(encoding: str, says: str) -> None:
    source = "a,b\né,ü\nx,".encode() + b"\x81\n"
    for _ in range(2):
        with pytest.raises(comb.CombError) as caught:
            comb.load(source, encoding=encoding)
        assert says in str(caught.value) and ("line 3" in str(caught.value) or "neither" not in says)
        source += b"y,z\n" * 2_000_000 if "neither" in says else b""
    with pytest.raises(comb.CombError):
        comb.table(columns={"a": ["x"]}).save("never.csv", encoding="utf-8+windows-1252")
