"""The user's own printers in the window: from nothing to a project that prints on one, and everything that is refused."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLineEdit, QPushButton

from bouncy_latch.app.stops.fit import LADDER
from bouncy_latch.core.learn.posterior.belief import FIT_PEG
from bouncy_latch.core.project import own_hardware, own_printers
from bouncy_latch.core.project.folders import data_folder
from tests.app.conftest import PATIENCE


@pytest.fixture
def page(bench):
    bench.window.new()
    bench.window.topbar.printers_wanted.emit()
    return bench.window.asides.page("printers")


def typed(field, text):
    """Type over what stands in a field and leave it."""
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)
    QTest.keyClick(field, Qt.Key.Key_Return)


def pressed(bench, text):
    """Press a button of the page, once it is there."""
    def shown():
        page = bench.window.asides.page("printers")
        return [made for made in page.findChildren(QPushButton) if made.text() == text and made.isVisible()]

    bench.qtbot.waitUntil(lambda: bool(shown()), timeout=PATIENCE)
    shown()[0].click()


def test_a_stranger_gets_from_nothing_to_a_printer_that_is_known(bench, page, tmp_path):
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
    the_ladder_is_exported_and_teaches(bench, process, tmp_path)
    bench.window.asides.show("printers")
    page.remove()
    assert not own_printers.known(data_folder()).printers
    assert bench.session.project.process == process


def the_ladder_is_exported_and_teaches(bench, process, folder):
    fit, session = bench.window.fit, bench.session
    bench.settle()
    bench.window.verdicts.hint.click()
    assert fit.isVisible()
    assert "Export" in fit._way.text()
    bench.qtbot.waitUntil(lambda: fit.next.coupon is not None and not fit.next._plan_lane.busy, timeout=PATIENCE)
    fit.next._export(folder)
    assert (folder / "first-ladder.3mf").exists()
    assert "Print it" in fit._way.text()
    fit.go(LADDER)
    page = fit.ladder
    steps, holes = (sorted({value for kind, value, _ in page.outcome_buttons if (kind == FIT_PEG) == felt})
                    for felt in (False, True))
    hinge = next(iter(page.outcome_buttons))[0]
    assert page._square.text() == f"{steps[-1]:.2f} stands on the bed with square edges"
    assert (len(steps), len(holes)) == (4, 5)
    assert not any(made.isChecked() for made in page.outcome_buttons.values())
    untaught, chance = session.process.growth, session.solution.aim.chance
    for value, outcome in zip(steps, ("welded", "needs a tool", "frees by hand", "free"), strict=True):
        page.outcome_buttons[hinge, value, outcome].click()
        assert page.outcome_buttons[hinge, value, outcome].isChecked()
    assert not fit._way.isVisible()
    assert [item.value for item in session.experience.items] == steps
    taught = session.process.growth
    assert taught.sd < 0.7 * untaught.sd
    for value, outcome in zip(holes[1:], ("pushed by hand", "snug", "slides"), strict=False):
        page.outcome_buttons[FIT_PEG, value, outcome].click()
    assert {item.outcome for item in session.experience.items if item.kind == FIT_PEG} == {"pushed by hand", "snug", "slides"}
    assert session.process.growth.sd < 0.9 * taught.sd, "what a hand feels narrows it further"
    # A slip is corrected by another click: the first word no longer counts.
    page.outcome_buttons[hinge, steps[0], "needs a tool"].click()
    assert not page.outcome_buttons[hinge, steps[0], "welded"].isChecked()
    assert len(session.experience.excluded) == 1
    page.outcome_buttons[hinge, steps[0], "welded"].click()
    place, field = next(iter(page.fields.items()))
    typed(field, "wide")
    assert "is no reading" in page.trouble.text()
    assert field.text() == "wide"
    typed(field, f"{place[1] + 0.1:.2f} {place[1] + 0.12:.2f}")
    assert "from 2 readings" in field.toolTip()
    assert field.placeholderText().startswith(f"{place[1] + 0.11:.2f} ±")
    bench.qtbot.waitUntil(lambda: not page._lane.busy, timeout=PATIENCE)
    assert page.bells.now == session.process.growth != page.bells.before == untaught
    assert f"was {100 * chance:.0f} %" in page._judged.text()
    assert not bench.window.verdicts.hint.isVisible()
    session.undo()  # no edit: what was learnt is no part of the project
    assert session.process.growth.sd < 0.7 * untaught.sd


@pytest.mark.parametrize(("name", "text", "sentence"), [
    ("bed", "", "a bed has width, depth and height, such as 220x220x250, not ''"),
    ("bed", "220x220", "a bed has width, depth and height, such as 220x220x250, not '220x220'"),
    ("name", "Tern", "there is a printer 'Tern' already; two need two names"),
    ("nozzle", "wide", "'wide' is no number; it stays as it was"),
    ("nozzle", "-1", "nozzle: Input should be greater than or equal to 0.1"),
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


def test_a_nut_is_measured_once_and_taken_by_a_pocket(bench):
    window, session = bench.window, bench.session
    session.select("nut-pocket-1")
    next(b for b in window.sheet.findChildren(QPushButton) if b.text() == "from your hardware…").click()
    page = window.asides.page("hardware")
    assert window.view_shown() is page
    page.add_button.click()
    for name, text in (("name", "brass"), ("flats", "7.94 7.98 7.91"), ("height", "3.9"), ("diameter", "9")):
        page.fields[name].setText(text)
        page.fields[name].editingFinished.emit()
    assert "leaves no wall round a thread of 9" in page.trouble.text()
    assert page.fields["diameter"].text() == "5"
    next(b for b in page.findChildren(QPushButton) if b.text().startswith("use it in")).click()
    params = bench.params
    assert (params.nut, params.flats, params.thickness, params.differs) == ("own", 7.98, 3.9, 0.07)
    session.undo()
    assert bench.params.nut == "M5"
    assert [each.name for each in own_hardware.known(data_folder()).pieces] == ["brass"]
    session.select("hook-1")
    assert not [b for b in window.sheet.findChildren(QPushButton) if b.isVisible() and "hardware" in b.text()]
    page.remove()
    assert own_hardware.known(data_folder()).pieces == ()
