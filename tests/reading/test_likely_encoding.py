"""Small tables in the encodings of many languages are read as what they are."""

from pathlib import Path

import pytest

import comb
from comb.reading.io.likely_encoding import SINGLE_BYTE, likeliest

# Some words of a language, and the encodings in which it was written.
WORDS = {
    "de": ("Name;Ort;Straße\nMüller;Köln;Hauptstraße 5\nGröße;Düsseldorf;Am Bäcker\n", ["cp1252", "cp850", "mac-roman"]),
    "fr": ("Prénom;Ville\nÉlodie;Besançon\nJérôme;Orléans\nZoé;Nîmes\n", ["cp1252", "cp850", "mac-roman"]),
    "es": ("Año;Niño\n2020;Peña\n2021;Muñoz\n2022;Martínez\n", ["cp1252", "cp850", "mac-roman"]),
    "tr": ("Ad;Şehir\nAyşe;İstanbul\nOğuz;Çanakkale\nIşıl;Eskişehir\n", ["cp1254"]),
    "tr2": ("il;değer\nMuğla;5\nAğrı;3\n", ["cp1254"]),
    "is": ("Nafn;Staður\nÞór;Reykjavík\nSigríður;Ísafjörður\n", ["cp1252"]),
    "pl": ("Imię;Miasto\nŁukasz;Łódź\nŻaneta;Kraków\nGrażyna;Gdańsk\n", ["cp1250", "iso-8859-2"]),
    "cz": ("Jméno;Město\nJiří;Plzeň\nŠárka;Ústí\nTomáš;Mladá Boleslav\n", ["cp1250", "iso-8859-2"]),
    "hu": ("Név;Város\nŐrsi;Győr\nSzűcs;Pécs\n", ["cp1250", "iso-8859-2"]),
    "ru": ("Имя;Город\nИван;Москва\nОльга;Тверь\nПётр;Казань\n", ["cp1251", "koi8-r", "cp866"]),
    "ru2": ("код;название\n1;молоко\n2;хлеб\n3;масло\n4;сыр\n5;яблоко\n", ["cp1251", "koi8-r", "cp866"]),
    "el": ("Όνομα;Πόλη\nΓιώργος;Αθήνα\nΜαρία;Θεσσαλονίκη\nΕλένη;Πάτρα\n", ["cp1253"]),
    "he": ("שם;עיר\nדן;חיפה\nמשה;ירושלים\nרות;תל אביב\n", ["cp1255"]),
    "ar": ("الاسم;المدينة\nمحمد;القاهرة\nفاطمة;بغداد\nعلي;دمشق\n", ["cp1256"]),
    "th": ("ชื่อ;เมือง\nสมชาย;กรุงเทพ\nมาลี;เชียงใหม่\n", ["cp874"]),
    "ja": ("名前,都市\n太郎,東京\n花子,大阪\n健一,名古屋\n", ["cp932"]),
    "ja2": ("品名,数量\nりんご,5\nみかん,3\nバナナ,7\n", ["cp932", "euc_jp"]),
    "zh": ("姓名,城市\n王伟,北京\n李娜,上海\n张敏,广州\n", ["gb18030"]),
    "tw": ("姓名,城市\n陳怡君,台北\n林志豪,高雄\n黃雅婷,臺中\n", ["cp950"]),
    "ko": ("이름,도시\n김민수,서울\n이영희,부산\n박지훈,대구\n", ["cp949"]),
    "sym": ("item;price\nJar;5 €\nLid;3 €\nTemp;20 °C\n", ["cp1252"]),
    "sym2": ("item;note\nJar;it’s fine\nLid;“ok” – yes\n", ["cp1252"]),
    "deg": ("t\n20 °\n30 °\n", ["cp1252"]),
    "frac": ("a;b\nx;½\ny;²\nz;5 m²\n", ["cp1252"]),
    "one": ("a;b\n1;ü\n2;x\n", ["cp1252"]),
    "onel": ("a;b\n1;Café\n2;x\n", ["cp1252", "mac-roman"]),
    "caps": ("NAME;ORT\nMÜLLER;KÖLN\nGRÖßE;DÜSSELDORF\n", ["cp1252", "cp850"]),
    "rucaps": ("ИМЯ;ГОРОД\nИВАН;МОСКВА\nОЛЬГА;ТВЕРЬ\n", ["cp1251", "koi8-r", "cp866"]),
    "pt": ("Município;População\nSão Paulo;12\nBrasília;3\nMaceió;1\n", ["cp1252"]),
    "sv": ("Namn;Ort\nÅsa;Malmö\nÖrjan;Västerås\n", ["cp1252", "cp850"]),
    "ro": ("Nume;Oraş\nŞtefan;Iaşi\nIoniţă;Timişoara\n", ["cp1250"]),
    "zh2": ("商品编号,商品名称,价格\nA1,苹果,5.00\nA2,香蕉,3.50\nA3,西红柿,2.20\n", ["gb18030"]),
    "ko2": ("번호,제품명\n1,사과\n2,바나나\n3,토마토\n", ["cp949"]),
}  # fmt: skip


@pytest.mark.parametrize(("text", "codec"), [(text, codec) for text, codecs in WORDS.values() for codec in codecs])
def test_words_are_read_in_the_encoding_they_are_in(tmp_path: Path, text: str, codec: str) -> None:
    found = likeliest(text.encode(codec))
    assert found.text == text
    # The name that is told is one to give.
    (tmp_path / "t.csv").write_bytes(text.encode(codec))
    table = comb.load(tmp_path / "t.csv")
    assert table.origin.options.encoding == found.encoding
    assert comb.load(tmp_path / "t.csv", encoding=found.encoding).equals(table)


def test_a_damaged_text_of_east_asia_is_read_by_something() -> None:
    data = "名前,都市\n太郎,東京\n".encode("cp932") + b"\x81\n"
    assert likeliest(data).encoding in SINGLE_BYTE
