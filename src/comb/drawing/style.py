"""How pictures look: the one place for sizes, colours, marks. Plain values.

Colours are those that Okabe and Ito chose to be told apart by colour-blind people (Color Universal Design, 2008),
without their yellow, which is too faint on white. Marks, dashes and hatches tell groups apart in grey.
"""

from typing import Any

# Inches, and dots in each: 1280 x 800.
SIZE = (12.8, 8.0)
DOTS = 100

COLOURS = ("#0072B2", "#D55E00", "#009E73", "#CC79A7", "#E69F00", "#56B4E9", "#5D3A9B", "#222222")
DASHES = ("-", "--", "-.", ":", (0, (6, 1, 1, 1)), (0, (3, 1, 1, 1, 1, 1)), (0, (8, 2)), (0, (1, 1)))
MARKS = ("o", "^", "s", "D", "v", "P", "X", "*")
HATCHES = ("", "///", "...", "\\\\\\", "xxx", "---", "+++", "ooo")

FAINT_COLOUR = "#8A8A8A"
TEXT = "#222222"
QUIET = "#555555"

# From few to many: one hue, light to dark.
NOTHING = "#F4F4F2"
SCALE = ("#E8F1F8", "#9CC6E3", "#3C8DC5", "#0B5590", "#04264A")

# Settings for Matplotlib, above its own defaults, whatever settings the machine has.
SETTINGS: dict[str, Any] = {
    "font.family": "sans-serif",
    "font.sans-serif": ["DejaVu Sans"],
    "font.size": 12.0,
    "text.color": TEXT,
    "text.parse_math": False,
    "text.usetex": False,
    "axes.edgecolor": "#888888",
    "axes.labelcolor": TEXT,
    "axes.labelsize": 12.0,
    "axes.titlesize": 12.0,
    "axes.titlelocation": "left",
    "axes.spines.top": False,
    "axes.spines.right": False,
    "axes.axisbelow": True,
    "axes.grid": True,
    "axes.formatter.use_mathtext": False,
    "axes.unicode_minus": True,
    "grid.color": "#E4E4E4",
    "grid.linewidth": 0.8,
    "hatch.linewidth": 0.6,
    "xtick.color": QUIET,
    "ytick.color": QUIET,
    "xtick.labelsize": 11.0,
    "ytick.labelsize": 11.0,
    "legend.frameon": False,
    "legend.fontsize": 11.0,
    "figure.facecolor": "white",
    "savefig.facecolor": "white",
    "svg.hashsalt": "comb",
    "svg.fonttype": "path",
    "pdf.compression": 6,
    "path.simplify": True,
}
