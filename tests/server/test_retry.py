from __future__ import annotations

from django.db import OperationalError
from django.test import SimpleTestCase

from server.retry import DEADLOCK, TRIES, again_on_deadlock


class RetryTest(SimpleTestCase):
    def failing(self, times: int, number: int = DEADLOCK):
        """A transaction that fails so often, then succeeds."""
        tried = []

        @again_on_deadlock
        def work(said: str) -> str:
            tried.append(said)
            if len(tried) <= times:
                raise OperationalError(number, "in the way")
            return said

        return work, tried

    def test_a_deadlock_is_tried_again_until_it_is_gone(self):
        work, tried = self.failing(TRIES - 1)
        self.assertEqual((work("ring"), len(tried)), ("ring", TRIES))

    def test_one_that_stays_is_told(self):
        work, tried = self.failing(TRIES)
        with self.assertRaises(OperationalError):
            work("ring")
        self.assertEqual(len(tried), TRIES)

    def test_anything_else_is_not_repeated(self):
        work, tried = self.failing(1, number=2006)
        with self.assertRaises(OperationalError):
            work("ring")
        self.assertEqual(len(tried), 1)
