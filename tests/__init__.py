"""The tests. What is proved there must not depend on how fast a machine is."""

from pinch.core import runsheet
from tests.waiting import PATIENCE_S

runsheet.TIME_LIMIT_S = PATIENCE_S
