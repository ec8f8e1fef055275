"""The process that benches run in, with two kinds of craft that no real draft should be: one whose bench computes for ever, one that takes the process down."""

from __future__ import annotations

import os

from server.running import bench_process

SPINS, FALLS = "spins", "takes its process down"  # what such a craft's document says of it


class Hostile(bench_process.Station):
    """A station that a draft can stop."""

    def run(self, key, wanted):
        about = self._place(key).given.document.about
        while about == SPINS:
            pass
        if about == FALLS:
            os._exit(3)
        return super().run(key, wanted)


if __name__ == "__main__":
    bench_process.Station = Hostile
    bench_process.main()
