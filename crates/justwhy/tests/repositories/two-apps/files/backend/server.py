import os

from dotenv import load_dotenv

load_dotenv(".env")

PORT = int(os.environ.get("PORT", "5000"))
LEVEL = os.environ.get("LOG_LEVEL", "info")
WORKERS = int(os.environ.get("WORKERS", "2"))
