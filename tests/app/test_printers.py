"""The user's own printers in the window: from nothing to a project that prints on one, and everything that is refused."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QPushButton

from bouncy_latch.core.project import own_printers
from bouncy_latch.core.project.folders import data_folder
from tests.app.conftest import PATIENCE


@pytest.fixture
def page(bench):
    bench.window.new()
    bench.window.topbar.printers_wanted.emit()
    return bench.window.printers


def typed(field, text):
    """Type over what stands in a field and leave it."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def pressed(bench, text):
    """Press a button of the page, once it is there."""
    def shown():
        return [made for made in bench.window.printers.findChildren(QPushButton) if made.text() == text and made.isVisible()]

    bench.qtbot.waitUntil(lambda: bool(shown()), timeout=PATIENCE)
    shown()[0].click()


def test_a_stranger_gets_from_nothing_to_a_part_on_their_own_printer(bench, page):
    assert page.isVisible()
    assert not bench.window.verdicts.isVisible()
    page.add_button.click()
    typed(page.fields["name"], "Skua")
    typed(page.fields["bed"], "180x180x200")
    typed(page.fields["layer_height"], "0,16")
    colour = next(field for field in page.findChildren(QLineEdit) if field.accessibleName() == "colour of the new spool")
    colour.setText("slate")
    pressed(bench, "add this spool")
    pressed(bench, "print on this")
    kept = own_printers.known(data_folder()).named("skua")
    assert (kept.bed, kept.settings.layer_height, kept.spools[0].title) == ((180, 180, 200), 0.16, "PLA slate")
    process = bench.session.project.process
    assert process == kept.process(kept.spools[0])
    assert process.source == "typical printer, untested"
    assert "this project prints on it" in " ".join(made.text() for made in page.findChildren(type(page.trouble)))
    pressed(bench, "done")
    chooser = bench.window.chooser
    assert chooser.isVisible()
    assert chooser.printer.currentText() == process.title
    QTest.keyClick(next(card for card in chooser.cards if card.kind.id == "knuckle-hinge"), Qt.Key.Key_Return)
    bench.qtbot.waitUntil(lambda: bench.session.solution is not None, timeout=PATIENCE)
    assert bench.window.shape.isVisible()
    assert bench.window.verdicts.isVisible()
    bench.window.show_printers()
    page.remove()
    assert not own_printers.known(data_folder()).printers
    assert bench.session.project.process == process


@pytest.mark.parametrize(("name", "text", "sentence"), [
    ("bed", "", "a bed has width, depth and height, such as 220x220x250, not ''"),
    ("bed", "220x220", "a bed has width, depth and height, such as 220x220x250, not '220x220'"),
    ("name", "Tern", "there is a printer 'Tern' already; two need two names"),
    ("nozzle", "wide", "'wide' is no number; it stays as it was"),
    ("nozzle", "-1", "nozzle: Input should be greater than 0"),
    ("name", "a/b", "name: a name has no slash and no line end"),
])
def test_what_is_no_printer_is_refused_in_a_sentence(bench, page, name, text, sentence):
    for each in ("Tern", "Skua"):
        page.add_button.click()
        typed(page.fields["name"], each)
    before = own_printers.known(data_folder())
    page.fields[name].setText(text)
    page.enter(name, text)
    assert page.trouble.text() == sentence
    assert own_printers.known(data_folder()) == before == page.kept


def test_printers_are_imported_whole_or_not_at_all(bench, page, tmp_path):
    page.add_button.click()
    file = tmp_path / "theirs.json"
    own_printers.write(file, page.kept)
    page.import_from(file)
    assert page.trouble.text() == "Printer 1: there is one of that name already; nothing was imported"
    page.duplicate()
    assert [each.name for each in page.kept.printers] == ["Printer 1", "Printer 1 2"]
    page.remove()
    page.remove()
    page.import_from(file)
    assert [each.name for each in page.kept.printers] == ["Printer 1"]
    (data_folder() / own_printers.NAME).write_text("{ no")
    page.reread()
    assert page.trouble.text().startswith("printers.json is damaged")
    assert (data_folder() / own_printers.NAME).read_text() == "{ no"
