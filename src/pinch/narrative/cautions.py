"""The cautions of every screen and sheet where work can hurt someone or something. They defer to the maker's
instructions, local rules and qualified people; each is said in one wording."""

from pinch.bench.readings import Quantity
from pinch.core.touch import SOURCE
from pinch.language import tr

MAINS = tr(
    "Mains voltage is dangerous: use a closed meter as its maker says, and leave open wiring to qualified people."
)
INSTRUMENTS = tr("{mains} A supply or meter out of its range can be destroyed.", mains=MAINS)
BATTERY = tr(
    "Do not leave a charging battery alone. A pack that swells, smells or gets hot is not "
    "run down nor charged again: follow its maker's instructions and leave it to qualified "
    "people."
)
RAISED_LIMITS = tr(
    "Raising limits or changing voltages can damage a machine, its adapter or its battery "
    "and may end its warranty. Pinch only records what you set: follow the maker's "
    "instructions, and leave work on mains and batteries to qualified people."
)
UNDER_LOAD = tr(
    "A long load makes metal, exhaust and adapter hot and fans loud. Keep the vents free "
    "and the machine in sight; end the run when a battery swells, smells or gets hot, and "
    "leave none alone while it charges. Follow the makers' instructions and local rules; "
    "leave mains wiring, batteries and raised limits to qualified people."
)
LONG_WORK = tr(
    "Do not leave a charging battery or a long load alone, keep vents free, and follow the "
    "makers' instructions; work on mains and batteries belongs to qualified people."
)
PRINTED = tr("Loads make the case, the exhaust and the adapter hot. {long_work}", long_work=LONG_WORK)
TOUCH = tr("A caution, not medical or legal advice. Limits: {source}; the document itself decides.", source=SOURCE)
TOUCH_READ = tr("A caution, not medical or legal advice; the maker's instructions decide.")
READING = {
    Quantity.WALL: MAINS,
    Quantity.NOISE: tr("Loud fans over hours tire the ears; step back between readings."),
    Quantity.SURFACE: tr("Metal near the exhaust can burn. Touch with the probe, not with the hand."),
    Quantity.ROOM: "",
    Quantity.CHARGE: BATTERY,
}
"""Beside a reading by hand, by what is read."""
