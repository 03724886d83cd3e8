"""The figures that the repository records, and whether those measured now are as good: for scripts/size and scripts/instructions."""

import json
import pathlib
import sys

RECORD = pathlib.Path(__file__).resolve().parent / "figures.json"
# So much worse is not noise: sizes do not vary, and instructions do by less.
TOLERANCE = 0.03


def compare(subject, measured):
    """Prints the figures beside the recorded ones, and exits with 1 if any is worse. All are better when they are less."""
    recorded = json.loads(RECORD.read_text()).get(subject, {})
    worse = []
    for name, now in measured.items():
        before = recorded.get(name)
        change = now / before - 1 if before else 0
        print(f"{name:24} {now:10,}" + (f" {change:+7.1%}" if before else "  not recorded"))
        if before is None or change > TOLERANCE:
            worse.append(name)
    if worse:
        print(f"\nWorse by more than {TOLERANCE:.0%} than scripts/figures.json says, or not in it: {', '.join(worse)}.\n"
              f"Mend that or, if it must be, say why in the commit and record it: scripts/{subject} --record")
        sys.exit(1)


def record(subject, measured):
    """Writes the figures into the record."""
    figures = json.loads(RECORD.read_text()) if RECORD.exists() else {}
    figures[subject] = measured
    RECORD.write_text(json.dumps(figures, indent=1) + "\n")
    print(f"{len(measured)} figures are recorded in {RECORD.name}")
