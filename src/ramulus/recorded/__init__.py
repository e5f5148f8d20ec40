"""Recorded play: awards that real players got, held against the ledger and the forecast, and fitted by profiles."""

from ramulus.recorded.fit import Fit as Fit
from ramulus.recorded.fit import fit as fit
from ramulus.recorded.log import Log as Log
from ramulus.recorded.log import read_log as read_log
from ramulus.recorded.observed import Observed as Observed
from ramulus.recorded.observed import observed as observed
from ramulus.recorded.replay import Replay as Replay
from ramulus.recorded.replay import replay as replay
from ramulus.recorded.sample_files import sample_log as sample_log
