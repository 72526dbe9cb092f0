"""What a tube of several speeds is printed and reckoned with: as walls are, speed by section."""

from metier.logbook.plain import Form
from metier.trials.flow.settings import FlowSettings

MapSettings = FlowSettings
FORM = Form(FlowSettings)
