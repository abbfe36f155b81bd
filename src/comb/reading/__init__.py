"""Files become tables. Only `comb.reading.sources` opens anything."""
