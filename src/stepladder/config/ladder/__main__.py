"""`python src/stepladder/config/ladder …`: before anything is installed, so the sources are found from here."""

from __future__ import annotations

import sys
from pathlib import Path

# In place of this folder, whose files are modules of the package.
sys.path[0] = str(Path(__file__).resolve().parents[3])

from stepladder.config.ladder.command import main  # noqa: E402 - found only now

if __name__ == "__main__":
    sys.exit(main())
