import os

TIMEOUT = int(os.getenv("ARCHIVE_TIMEOUT", "30"))
HOST = os.environ.get("ARCHIVE_HOST", "archive.tide.example")
TOKEN = os.environ["API_TOKEN"]
DRY_RUN = os.getenv("ARCHIVE_DRY_RUN")
