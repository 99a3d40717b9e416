import os

BATCH = int(os.environ.get("BATCH", "100"))
DRY_RUN = os.environ.get("DRY_RUN", "false")
STORE = os.environ["STORE"]
