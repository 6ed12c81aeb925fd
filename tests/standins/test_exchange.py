"""Finding a loop online: search, preview, bring in; an outside that is slow, gone or lying."""

import socket
import threading
import time
import unittest
from contextlib import nullcontext

import uvicorn

from tests.studio.helper import StudioTest
from zeroknot.core.errors import NotFoundError, ZeroKnotError
from zeroknot.settings import Settings
from zeroknot.standins.exchange_loops import OFFERS, file_of, preview_of
from zeroknot.standins.loop_exchange import Weather, make_exchange
from zeroknot.studio import exchange as exchange_module
from zeroknot.studio.exchange import ExchangeError
from zeroknot.studio.executors import Executors
from zeroknot.studio.studio import Studio


class Running:
    """The practice exchange on a port of its own."""

    def __init__(self):
        self.weather = Weather()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        config = uvicorn.Config(
            make_exchange(self.weather), host="127.0.0.1", port=port, log_level="error"
        )
        self.server = uvicorn.Server(config)
        self.thread = threading.Thread(target=self.server.run, daemon=True)
        self.thread.start()
        while not self.server.started:
            time.sleep(0.01)
        self.address = f"http://127.0.0.1:{port}"

    def stop(self):
        self.server.should_exit = True
        self.thread.join(5)


class ExchangeTest(StudioTest):
    @classmethod
    def setUpClass(cls):
        cls.outside = Running()
        cls.addClassCleanup(cls.outside.stop)

    def setUp(self):
        super().setUp()
        self.outside.weather.__init__()
        self.studio.close()
        self.studio = self.online(self.outside.address)

    def online(self, address):
        studio = Studio(Settings(data=self.folder, exchange=address), Executors.inline())
        self.addCleanup(studio.close)
        return studio

    def test_search_by_words_and_tag(self):
        exchange = self.studio.exchange
        self.assertEqual(exchange.about().practice, True)
        for words, tag, wanted in (
            ("", "", set(OFFERS)), ("slipway", "", {"ex-001", "ex-002"}),
            ("MARL", "bass", {"ex-004", "ex-005"}), ("", "warm", {"ex-006"}),
            ("nowhere", "", set()),
        ):  # fmt: skip
            with self.subTest(words=words, tag=tag):
                page = exchange.search(words, tag)
                self.assertEqual({loop.id for loop in page.loops}, wanted)
        self.assertIn({"tag": "drums", "count": 2}, exchange.tags())
        self.assertEqual(len(exchange.search("", "", 2, 3).loops), 3)

    def test_preview_and_bring_in(self):
        exchange = self.studio.exchange
        self.assertEqual(exchange.preview("ex-001"), preview_of("ex-001"))
        loop = next(x for x in exchange.search("slipway").loops if x.id == "ex-001")
        item = exchange.bring(loop)
        self.assertEqual(item.state, "done")
        brought = self.studio.shelf.loop(item.sha)
        self.assertEqual(self.studio.store.path(item.sha).read_bytes(), file_of("ex-001"))
        self.assertEqual(brought.set_name, "Ada Quill")
        self.assertAlmostEqual(brought.reading.tempo_bpm, 92, delta=0.1)
        self.assertEqual(exchange.bring(loop).state, "double")

    def printed(self):
        """A loop that was made here."""
        loop = self.loop()
        project = self.studio.projects.create("Slate")
        tree = self.studio.projects.state(project).project
        return self.studio.prints.print_strand(tree, loop.sha, "wrap", False).loop, loop

    def test_what_was_printed_here_is_offered_found_heard_and_brought_in_elsewhere(self):
        made, _ = self.printed()
        told = self.studio.offer(made.sha, "Nell Tarn", "CC-BY-4.0")
        self.assertEqual((told.maker, told.licence, told.bars), ("Nell Tarn", "CC-BY-4.0", 2))
        self.assertEqual(self.studio.offer(made.sha, "Nell Tarn", "CC-BY-4.0").id, told.id)
        [found] = self.studio.exchange.search("nell").loops
        self.assertEqual(found, told)
        self.assertGreater(len(self.studio.exchange.preview(told.id)), 1000)
        item = self.studio.exchange.bring(found)
        self.assertEqual(item.state, "done")  # 24 bits of it: another file than the print
        brought = self.studio.shelf.loop(item.sha)
        self.assertEqual((brought.reading.bars, brought.set_name), (2, "Nell Tarn"))
        self.assertAlmostEqual(brought.reading.tempo_bpm, made.reading.tempo_bpm, places=2)
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])

    def test_what_others_made_what_has_no_licence_and_trouble_are_sentences(self):
        made, loop = self.printed()
        count = self.studio.exchange.search("").total
        for sha, licence, weather, said in (
            (loop.sha, "CC0-1.0", {}, "not made here"), (made.sha, " ", {}, "which licence"),
            (made.sha, "CC0-1.0", {"fail_every": 1}, "answered 503"),
        ):  # fmt: skip
            with self.subTest(said):
                self.outside.weather.__init__(**weather)
                with self.assertRaisesRegex(ZeroKnotError, said):
                    self.studio.offer(sha, "", licence)
        self.outside.weather.__init__()
        self.assertEqual(self.studio.exchange.search("").total, count)
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])

    def test_trouble_outside_is_a_sentence_and_leaves_nothing(self):
        exchange, weather = self.studio.exchange, self.outside.weather
        loop = exchange.search("slipway").loops[0]
        for name, trouble, said in (
            ("busy", {"fail_every": 1}, "answered 503"), ("cut", {"cut_files": True}, "whole"),
        ):  # fmt: skip
            with self.subTest(name):
                weather.__init__(**trouble)
                with self.assertRaisesRegex(ExchangeError, said):
                    exchange.bring(loop)
        weather.__init__(wrong_files=True)
        item = exchange.bring(loop)
        self.assertEqual(item.state, "refused")
        self.assertIn("neither an audio file", item.reason)
        weather.__init__()
        with self.assertRaisesRegex(NotFoundError, "no such loop"):
            exchange.preview("ex-999")
        self.assertEqual(list(self.studio.store.incoming.iterdir()), [])
        self.assertEqual(self.on_shelf(), [])

    def test_a_slow_exchange_is_given_up(self):
        before = exchange_module.READ_SECONDS
        exchange_module.READ_SECONDS = 0.3
        self.addCleanup(setattr, exchange_module, "READ_SECONDS", before)
        self.outside.weather.delay_seconds = 1.0
        with self.assertRaisesRegex(ExchangeError, "too long"):
            self.studio.exchange.about()

    def test_one_that_is_not_there_and_none_at_all(self):
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            free = probe.getsockname()[1]
        self.studio.close()
        nowhere = self.online(f"http://127.0.0.1:{free}")
        with self.assertRaisesRegex(ExchangeError, "cannot be reached"):
            nowhere.exchange.search("x")
        nowhere.close()
        none = self.online("")
        self.assertIsNone(none.exchange.host)
        with self.assertRaisesRegex(ExchangeError, "no loop exchange is set"):
            none.exchange.search("x")

    def test_an_answer_that_makes_no_sense(self):
        exchange = self.studio.exchange
        for name, answer in (("no JSON", b"<html>"), ("no loops", b'{"total": 1}'),
                             ("a list", b"[1, 2]")):  # fmt: skip
            with self.subTest(name):
                exchange._answer = lambda *_, answer=answer: nullcontext(([answer], None))
                with self.assertRaisesRegex(ExchangeError, "makes no sense"):
                    exchange.search("x")


class OffersTest(unittest.TestCase):
    def test_loops_are_the_same_every_time_and_as_long_as_they_claim(self):
        import io

        import soundfile

        for offer in (OFFERS["ex-003"], OFFERS["ex-005"]):
            with self.subTest(offer.id):
                sound, rate = soundfile.read(io.BytesIO(file_of(offer.id)))
                self.assertAlmostEqual(len(sound) / rate, offer.seconds, places=4)
                file_of.cache_clear()
                again = file_of(offer.id)
                file_of.cache_clear()
                self.assertEqual(again, file_of(offer.id))
