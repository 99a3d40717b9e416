import os
from dotenv import load_dotenv

load_dotenv()
text = os.path.expandvars(open("app.yaml").read())
