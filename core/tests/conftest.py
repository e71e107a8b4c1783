import sys
from pathlib import Path

from hypothesis import settings

settings.register_profile("patient", deadline=None)  # machines are noisy
settings.load_profile("patient")
sys.path.insert(0, str(Path(__file__).parent))
