"""Files become tables. Only `comb.reading.io` opens anything."""
