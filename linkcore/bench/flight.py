"""The flight of a bench's craft: simulated, since the craft itself is held and its motors turn without props. It begins with the last radio frame that was sent."""

from __future__ import annotations

from linkcore.craft.document import CraftDocument
from linkcore.craft.places import place_of
from linkcore.devices.body import Body
from linkcore.devices.responses import height_known
from linkcore.standins.autopilot import Asked
from linkcore.standins.board import StandInBoard
from linkcore.standins.craft import STEP_S, PointCraft

HEARD_S = 0.12  # so long after the last radio frame the pilot may still have it
POINTS = 160  # of a path that are kept; then every second goes
SPACING_S = 0.1
STOPPED = Asked(percent=0.0, motor=False)

PathPoint = tuple[
    float, float, float, float, float
]  # s since the last radio frame, m up, m from home, percent of the motors, percent of the surface that is farthest out


class Flight:
    """One craft in the air, as its board has it once nobody else does."""

    def __init__(self, document: CraftDocument, t: float) -> None:
        self._spacing = SPACING_S
        self.path: list[PathPoint] = []
        self.t = self.free_t = t
        self.flying = False
        self._held_percent = 0.0
        self.down_t: float | None = None
        self.follow(document)

    def follow(self, document: CraftDocument) -> None:
        """The craft flies elsewhere, or is another."""
        place = place_of(document)
        self.craft = PointCraft(Body.of(document.airframe, place), place)

    def run(self, until: float, board: StandInBoard, sent_t: float) -> None:
        """Up to `until`; `sent_t`: the last radio frame that was sent."""
        held = board.link == "good" and not board.responding
        if until - sent_t <= HEARD_S and held:
            self.craft.put()
            self.flying, self.t, self.free_t = board.armed, sent_t, sent_t
            self._held_percent = board.motors_percent
            self.path, self._spacing, self.down_t = [], SPACING_S, None
            return
        if not self.flying:
            self.t = until
            return
        while self.t + STEP_S <= until + 1e-9:
            self._step(self.t, board)
            self.t += STEP_S

    def _step(self, t: float, board: StandInBoard) -> None:
        craft, responds = self.craft, board.autopilot
        if responds is not None and responds.began_t <= t:
            world = board.world
            asked = board.fly_itself(t, STEP_S, craft.senses(height=height_known(world.sensors), fix=world.fix))
            craft.step(asked, STEP_S)
            if board.responding:
                board.motors_percent = craft.percent
        elif board.stopped_t is not None and self.free_t <= board.stopped_t <= t:
            craft.step(STOPPED, STEP_S)
        elif board.armed and responds is None and board.link == "good" and self._pulled_down(board):
            craft.step(STOPPED, STEP_S)  # values of the receiver's own keep the motors as low as they go
        else:
            craft.keep(STEP_S)
        if craft.touching and self.down_t is None:
            self.down_t = t + STEP_S
        self._remember(t, board)

    def _pulled_down(self, board: StandInBoard) -> bool:
        """Whether what the receiver sends by itself has the motors as low as they go, and the pilot had not."""
        return 0 <= board.motors_percent <= board.running.drive.idle_percent < self._held_percent

    def _remember(self, t: float, board: StandInBoard) -> None:
        since = t - self.free_t
        if self.path and since - self.path[-1][0] < self._spacing - 1e-9 and not (self.craft.touching and self.path[-1][1] > 0):
            return
        out = max(board.surfaces().values(), key=abs, default=0.0)
        self.path.append((round(since, 3), round(self.craft.up_m, 2), round(self.craft.along_m, 2), round(board.motors_percent, 1), round(100 * out, 1)))
        if len(self.path) > POINTS:
            self.path, self._spacing = self.path[::2], 2 * self._spacing
