"""A heater: its temperature follows what is asked for with a lag, and its sensor follows that."""

import math
from dataclasses import dataclass

ROOM_C = 21.0
# As near as this counts as reached.
WITHIN_C = 1.5
_STEP_S, _LONG_S = 0.25, 600.0
_SENSOR_S = 2.0
_SETTLED_C = 1e-3


@dataclass
class Heater:
    """``power_c_s`` is how fast it heats at most, ``lag_s`` its time constant."""

    power_c_s: float
    lag_s: float
    target_c: float = 0.0
    heat_c: float = ROOM_C
    shown_c: float = ROOM_C

    def pass_time(self, seconds: float) -> None:
        """Let time go by."""
        wanted_c = max(self.target_c, ROOM_C)
        if abs(self.heat_c - wanted_c) + abs(self.shown_c - wanted_c) < _SETTLED_C:
            return
        if seconds > _LONG_S:
            self.heat_c = self.shown_c = wanted_c
            return
        while seconds > 1e-9:
            step_s = min(seconds, _STEP_S)
            seconds -= step_s
            cooling = wanted_c < self.heat_c
            lag_s = 6 * self.lag_s if cooling else self.lag_s
            change_c = (wanted_c - self.heat_c) * (1 - math.exp(-step_s / lag_s))
            self.heat_c += min(change_c, self.power_c_s * step_s)
            self.shown_c += (self.heat_c - self.shown_c) * (1 - math.exp(-step_s / _SENSOR_S))

    def reached(self) -> bool:
        """Tell whether it shows what is asked for."""
        return self.target_c == 0 or self.shown_c >= self.target_c - WITHIN_C


def nozzle_heater() -> Heater:
    """Return a cold heater of a nozzle."""
    return Heater(power_c_s=3.0, lag_s=4.0)


def bed_heater() -> Heater:
    """Return a cold heater of a bed."""
    return Heater(power_c_s=0.8, lag_s=12.0)
