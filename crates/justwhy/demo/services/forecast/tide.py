"""Makes the forecast: the tide model, and the readings of the last hours."""

import os

DATABASE_URL = os.environ["TIDE_DATABASE__URL"]
POOL_MAX = int(os.environ.get("TIDE_DATABASE__POOL__MAX", 4))
HORIZON_HOURS = int(os.environ.get("TIDE_FORECAST__HORIZON_HOURS", 48))
MODEL = os.environ.get("TIDE_FORECAST__MODEL__NAME", "harmonic")
CONSTITUENTS = int(os.environ.get("TIDE_FORECAST__MODEL__CONSTITUENTS", 37))

# Nobody has made a setting of the surge yet.
SURGE_CM = int(os.environ.get("TIDE_FORECAST__SURGE_CM", 0))


def is_high(level_cm: int) -> bool:
    """Whether the people on shore have to be told."""
    return level_cm + SURGE_CM >= int(os.environ["TIDE_ALERT__THRESHOLD_CM"])
