"""Every route tried by its own description: `python benchmarks/described.py [EXAMPLES]`, with schemathesis installed.

It comes with `.venv/bin/python -m pip install -e .[attack]`. That what fits the description is taken is not asked:
what a file or a study must hold no description says.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from pamble.server.app import schema
from tests.conftest import RunningPamble


def main(examples: str) -> int:
    """Start a Pamble, and let its routes be tried."""
    pamble = RunningPamble(False, "--no-demo")
    pamble.start()
    try:
        with tempfile.TemporaryDirectory() as folder:
            described = Path(folder) / "described.json"
            described.write_text(json.dumps(schema()))
            tool = Path(sys.executable).with_name("schemathesis")
            asked = ["--checks", "all", "--exclude-checks", "positive_data_acceptance", "--max-examples", examples]
            return subprocess.run([tool, "run", described, "--url", pamble.url, *asked, "--seed", "3"]).returncode
    finally:
        pamble.close()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1] if len(sys.argv) > 1 else "30"))
