import os

LEVEL = os.environ["LEVEL"]
THREADS = int(os.environ["THREADS"])
ZONE = os.environ.get("ZONE")
