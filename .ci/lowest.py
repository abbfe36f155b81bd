"""Print the lowest version that pyproject.toml allows of each package, as constraints for pip."""

import re
import tomllib
from pathlib import Path

project = tomllib.loads(Path("pyproject.toml").read_text())["project"]
for requirement in [*project["dependencies"], *project["optional-dependencies"]["test"]]:
    name, version = re.fullmatch(r"([\w-]+)(?:\[[^\]]*\])?>=([\d.]+).*", requirement).groups()
    print(f"{name}=={version}")
