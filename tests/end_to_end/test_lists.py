"""Lists and tables at the keyboard."""

from __future__ import annotations

from tests.end_to_end.conftest import Open
from tests.end_to_end.typing import fresh, typed


def test_two_enters_leave_a_list_and_nothing_becomes_loose(open_page: Open) -> None:
    page = fresh(open_page, "")
    page.keyboard.type("- one\n\nWords\n\n- a\nb\n\nEnd")
    typed(page, "- one", "", "Words", "", "- a", "- b", "", "End")


def test_letters_begin_a_list_within_the_item_above(open_page: Open) -> None:
    page = fresh(open_page, "")
    page.keyboard.type("1. open\na. half\nfully\ni. by hand\n\n\nclose")
    typed(page, "1. open", "   1. half", "   2. fully", "      1. by hand", "2. close")


def test_enter_goes_down_a_table_and_out_of_it(open_page: Open) -> None:
    page = fresh(open_page, "| a   | b   |\n| --- | --- |\n| c   | d   |")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Enter")
    page.keyboard.type("e")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    page.keyboard.type("Words")
    typed(page, "| a   | b   |", "| --- | --- |", "| c   | d   |", "|     | e   |", "", "Words")
