"""The process that helpers are forked from, with two kinds of craft that no real draft should be: one whose bench computes for ever, one that takes the process down. And a file that is read for ever."""

from __future__ import annotations

import os

from server.apart import process

SPINS, FALLS = "spins", "takes its process down"  # what such a craft's document says of it


class Hostile(process.Station):
    """A station that a draft can stop."""

    def run(self, key, wanted):
        about = self._place(key).given.document.about
        while about == SPINS:
            pass
        if about == FALLS:
            os._exit(3)
        return super().run(key, wanted)


class Patient(process.Reader):
    """A reader that a file can hold up."""

    @staticmethod
    def image(name, data):
        while name == f"{SPINS}.hex":
            pass
        return process.Reader.image(name, data)


if __name__ == "__main__":
    process.NICE = 0  # two browsers beside two servers fill this machine, and benches run at five times their pace
    process.SERVES |= {process.BENCHES: Hostile, process.READER: Patient}
    process.main()
