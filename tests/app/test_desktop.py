"""Manners of the desktop: installed, recent projects, keys, copying, pictures, names for those who listen to the screen."""

from __future__ import annotations

import configparser
import re
import shlex
import xml.etree.ElementTree as ET
from functools import partial
from itertools import pairwise

import pytest
from PySide6.QtCore import QCoreApplication, QEvent, QObject, QPoint, QSettings, Qt
from PySide6.QtGui import QContextMenuEvent, QGuiApplication, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QMenu, QScrollArea, QWidget

from bouncy_latch import desktop
from bouncy_latch.app.kit import picture
from bouncy_latch.app.kit.copying import Words
from bouncy_latch.app.kit.parts import Elided, ElidedButton
from bouncy_latch.app.shell.recent import MOST, Recent
from bouncy_latch.app.stops.fit import PAGES
from bouncy_latch.app.strips.jobline import STOPS
from bouncy_latch.core.errors import ParamError

ASIDES = ("printers", "hardware", "keys")


class Watch(QObject):
    """Looks at every paint of what it is installed on, before the paint happens."""

    def __init__(self, look):
        super().__init__()
        self._look = look

    def eventFilter(self, _watched, event):
        if event.type() is QEvent.Type.Paint:
            self._look()
        return False


def test_it_is_installed_for_the_user_and_goes_again(tmp_path):
    command = ["/opt/my $tools/100% \"new\"/bouncy", "run"]
    written = desktop.install(tmp_path, command)
    entry = configparser.ConfigParser(interpolation=None)
    entry.read(tmp_path / "applications" / "bouncy-latch.desktop")
    said = entry["Desktop Entry"]

    assert all(path.exists() for path in written)
    # As the specification reads an Exec line: escapes of strings first, then quotes, then field codes.
    words = shlex.split(said["exec"].replace("\\\\", "\\").replace("\\$", "$"))
    assert [word.replace("%%", "%") for word in words] == [*command, "%f"]
    mime = ET.parse(tmp_path / "mime" / "packages" / "bouncy-latch.xml").getroot()[0]
    assert mime.get("type") + ";" == said["mimetype"]
    assert mime.find("{*}glob").get("pattern") == "*.latch"
    assert ET.parse(written[2]).getroot().tag.endswith("svg")
    assert set(desktop.uninstall(tmp_path)) == set(written)
    assert not any(path.exists() for path in written)


def test_projects_that_were_open_lately_are_offered_and_a_broken_one_is_dropped(bench, tmp_path):
    window, recent = bench.window, bench.window.recent
    files = [tmp_path / f"kit-{i}.latch" for i in range(MOST + 2)]
    for path in files:
        bench.session.save(path)
    assert recent.paths() == files[:1:-1]
    files[4].write_bytes(b"no project")
    before = bench.session.project
    window.open_file(files[4])
    assert bench.session.project is before
    assert "kit-4" in window.notice.text()
    assert files[4] not in recent.paths()
    window.open_file(files[5])
    assert recent.paths()[0] == files[5]


@pytest.mark.parametrize("text", ["[General]\nrecent=@Invalid()\n", "recent", "[General]\nrecent=1, , \n\0", ""])
def test_a_broken_recent_file_says_nothing(tmp_path, text):
    (tmp_path / "window.ini").write_text(text)
    recent = Recent(QSettings(str(tmp_path / "window.ini"), QSettings.Format.IniFormat))
    assert [path for path in recent.paths() if path.exists()] == []
    recent.note(tmp_path / "new.latch")
    assert recent.paths()[0] == tmp_path / "new.latch"


def test_figures_are_copied_with_their_unit(bench):
    bench.settle()
    clipboard, window = QGuiApplication.clipboard(), bench.window
    QTest.keyClick(window.ruler.ruler, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    field = window.sheet.editors["gap"]
    assert field.figure() == "0.32 mm"
    assert window.sheet.editors["barrel"].figure() == "5.30 mm"
    verdict = bench.verdict("Lid wobbles")
    window.shape.trace.set_value(40.0)
    window.print_stop.strip.pick(0)
    for widget, wanted in ((window.ruler.ruler, "0.32 mm"), (verdict, "Lid wobbles at its edge: 0.64 mm (at most 0.60 mm) ("),
                           (field, "0.32 mm"), (window.ruler._chance, "100 % comes free by hand"),
                           (window.shape.trace, "Swing 40°: gap 0."),
                           (window.print_stop.strip, "layer 1 at 0.10 mm; A ")):
        action = next(a for a in widget.actions() if "copy" in a.text())
        action.trigger()
        assert clipboard.text().startswith(wanted)


def test_a_page_is_copied_with_all_its_figures(bench):
    bench.settle()
    window = bench.window
    wanted = {"Shape": "0.32 mm", "Fit": "gap 0.32 mm per side", "Prove": "100 % comes free by hand", "Print": " g"}
    for stop, some in wanted.items():
        window.jobline.go(STOPS.index(stop))
        if stop == "Print":
            window.print_stop.poses_button.click()
        bench.settle()
        bench.command("Copy the figures")
        copied = QGuiApplication.clipboard().text()
        seen = [label.text() for label in window.findChildren(QLabel) if label.isVisible() and re.search(r"\d", label.text())]
        assert some in copied
        assert seen
        assert [text for text in seen if text.rstrip("…") not in copied] == []
    figures = next(label for label in window.findChildren(Words) if label.isVisible() and re.search(r"\d g$", label.text()))
    at = figures.rect().center()
    QCoreApplication.postEvent(figures, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, figures.mapToGlobal(at)))
    bench.qtbot.waitUntil(lambda: figures.findChild(QMenu) is not None)
    figures.findChild(QMenu).actions()[0].trigger()
    assert QGuiApplication.clipboard().text() == figures.text()
    figures.findChild(QMenu).close()


def test_what_a_mouse_can_do_keys_can_do(bench):
    bench.settle()
    window = bench.window
    handled = {w: {name for c in type(w).__mro__ for name in vars(c) if "bouncy" in c.__module__}
               for w in window.findChildren(QWidget)}
    mouse = [w for w, named in handled.items() if {"mousePressEvent", "mouseDoubleClickEvent"} & named]
    assert len(mouse) > 20
    for widget in mouse:
        assert widget.focusPolicy() & Qt.FocusPolicy.TabFocus, type(widget)
        assert "keyPressEvent" in handled[widget], type(widget)
    window.jobline.go(STOPS.index("Fit"))
    chart = window.fit.chart
    for key, gap in ((Qt.Key.Key_Right, 0.33), (Qt.Key.Key_PageDown, 0.28), (Qt.Key.Key_Left, 0.27)):
        QTest.keyClick(chart, key)
        assert bench.params.gap == gap
        assert not bench.session.dragging
    QTest.keyClick(chart, Qt.Key.Key_Down)
    assert chart.said() == f"gap 0.27 mm per side\n{chart.advice(0)}"
    QTest.keyClick(chart, Qt.Key.Key_Down)
    assert chart.accessibleDescription() == chart.advice(1)
    bench.settle()
    window.jobline.go(STOPS.index("Shape"))
    row = next(row for row in window.verdicts.rows if row._check.place)
    shown = []
    window.verdicts.place_wanted.connect(shown.append)
    QTest.keyClick(row, Qt.Key.Key_Return)
    assert shown == [row._check]
    for key, at in ((Qt.Key.Key_Home, 0.0), (Qt.Key.Key_End, window.shape.trace.high)):
        QTest.keyClick(window.shape.trace, key)
        assert window.shape.trace.value == at


def test_every_view_is_saved_as_a_picture(bench, tmp_path):
    bench.settle()
    for number, name in enumerate(STOPS):
        bench.window.jobline.go(number)
        for suffix in picture.FORMATS:
            bench.window.exporting.picture(tmp_path / f"{name}{suffix}")
        image = QImage(str(tmp_path / f"{name}.png"))
        assert image.width() == picture.FINER * bench.window.view_shown().width()
        assert len({image.pixel(x, y) for x in range(0, image.width(), 16) for y in range(0, image.height(), 16)}) > 4
        root = ET.parse(tmp_path / f"{name}.svg").getroot()
        assert sum(1 for _ in root.iter()) > 50
    with pytest.raises(ParamError, match="PNG or SVG"):
        picture.drawn(bench.window, ".bmp", "")
    bench.window.exporting.picture(tmp_path / "none" / "view.png")
    assert "view.png" in bench.window.notice.text() or "none" in bench.window.notice.text()
    assert not (tmp_path / "none").exists()


def test_the_map_of_keys_names_every_command_that_has_keys(bench):
    window = bench.window
    # Whether a key reaches a window is the display's affair; that one leads here is ours.
    next(command for command in window.commands if command.shortcut == "F1").run()
    assert window.view_shown() is window.asides.page("keys")
    shown = {made.text() for made in window.asides.page("keys").findChildren(QLabel)}
    assert {c.title for c in window.commands if c.shortcut} <= shown
    keys = [c.shortcut for c in window.commands if c.shortcut]
    assert len(keys) == len(set(keys))
    QTest.keyClick(window.asides.page("keys"), Qt.Key.Key_Escape)
    assert window.view_shown() is window.shape


def test_whatever_takes_the_keyboard_has_a_name(bench):
    window = bench.window
    pages = [lambda n=n: window.jobline.go(n) for n in range(len(STOPS))]
    seen = 0
    for show in (*pages, window.choose_kind, *(partial(window.asides.show, name) for name in ASIDES)):
        show()
        bench.session.changed.emit()
        for widget in window.findChildren(QWidget):
            if not widget.isVisible() or widget.focusPolicy() == Qt.FocusPolicy.NoFocus:
                continue
            own = widget.text() if isinstance(widget, QAbstractButton | QLabel) else ""
            inner = widget.objectName().startswith("qt_") or isinstance(widget.parent(), QComboBox)
            assert own or widget.accessibleName() or inner, f"{type(widget).__name__} in {type(widget.parent()).__name__}"
            seen += isinstance(widget, QAbstractButton | QLineEdit | QComboBox)
    assert seen > 100


def laid_out():
    """Let every layout have its say; one may set off another."""
    for _ in range(6):
        QApplication.processEvents()


def around_page(window):
    """The area that scrolls the page of the middle."""
    return next(area for area in window.findChildren(QScrollArea) if area.widget() is window._pages)


SIZES = [(500, 340), (512, 350), (683, 384), (800, 600), (1024, 700), (1280, 800), (1366, 768), (1920, 1080), (3840, 2160)]


@pytest.mark.parametrize("mechanism", ["knuckle-hinge-1", "hook-1"])
def test_it_fits_every_screen(bench, mechanism):
    """Letters twice as large halve the room: 1024 × 700 leaves 512 × 350."""
    window, session = bench.window, bench.session
    session.select(next(m.id for m in session.project.mechanisms if m.kind in mechanism))
    bench.settle()
    for name in ("printers", "hardware"):
        window.asides.show(name)
        window.asides.page(name).add()
    for size in SIZES:
        window.resize(*size)
        stops = {name: (lambda n=n: window.jobline.go(n)) for n, name in enumerate(STOPS)}
        pages = {"kinds": window.choose_kind, **{name: partial(window.asides.show, name) for name in ASIDES}}
        inner = {f"fit, {name}": (lambda n=n: (window.jobline.go(1), window.fit.go(n))) for n, name in enumerate(PAGES)}
        for name, show in (stops | inner | pages).items():
            show()
            laid_out()
            assert window.size().toTuple() == size
            for widget in window.findChildren(QWidget):
                parent = widget.parentWidget()
                if not widget.isVisible() or parent is None or not isinstance(widget, QAbstractButton | QLabel):
                    continue
                about = f"{widget.text()!r} at {size} on {name}"
                assert parent.rect().intersects(widget.geometry()), about
                if isinstance(widget, Elided | ElidedButton) or widget.property("tone") == "mend":
                    continue
                if isinstance(widget, QAbstractButton) or not widget.wordWrap():
                    assert widget.width() >= widget.minimumSizeHint().width() - 1, about
                    assert parent.rect().adjusted(-1, -1, 1, 1).contains(widget.geometry()), about
            for area in window.findChildren(QScrollArea):
                if area.isVisible() and area.horizontalScrollBarPolicy() is Qt.ScrollBarPolicy.ScrollBarAlwaysOff:
                    needed = area.widget().minimumSizeHint().width()
                    assert needed <= area.viewport().width() + 2, f"{type(area.parent()).__name__} at {size} on {name}"
            page = around_page(window)
            assert page.widget().width() <= page.viewport().width(), f"{name} at {size} scrolls sideways"
            assert not window.topbar.process_button.text().endswith("…"), size
            shown = [w for w in window.topbar.findChildren(QWidget) if w.isVisible()]
            assert not any(a.geometry().intersects(b.geometry()) for i, a in enumerate(shown) for b in shown[:i])


@pytest.mark.parametrize(("size", "least"), [((1280, 800), 0.45), ((1024, 700), 0.35)])
def test_the_part_is_the_largest_thing_on_the_screen(bench, size, least):
    """Of the first mechanism of the demo and of one whose motion has a plot; the picture lies under words and scrubber."""
    window = bench.window
    window.resize(*size)
    window.show()
    for kind in ("knuckle-hinge", "hook"):
        bench.session.select(f"{kind}-1")
        window.jobline.go(2)
        bench.settle()
        laid_out()
        picture = window.shape.picture
        assert picture.width() * picture.height() / (size[0] * size[1]) >= least, kind
        assert window.verdicts.height() < 100


def test_cards_of_the_shelf_are_whole_from_the_first_paint_on(bench):
    """Whatever rebuilds or marks them meanwhile: none is lower than its two lines need, none lies over another."""
    window = bench.window
    window.resize(1280, 800)
    seen = []

    def look(*_):
        cards = [card for card in window.shelf.cards() if card.isVisible()]
        seen.append([(card.height() - card.sizeHint().height(), card.geometry()) for card in cards])

    window.shelf.installEventFilter(watch := Watch(look))
    window.show()
    bench.settle()
    laid_out()
    look()
    assert watch is not None
    assert len(seen[-1]) > 5
    for cards in seen:
        assert all(short >= 0 for short, _ in cards)
        assert not any(a.intersects(b) for (_, a), (_, b) in pairwise(cards))


def test_edges_of_panels_are_dragged_and_remembered(bench):
    window, folding = bench.window, bench.window.folding
    window.resize(1280, 800)
    window.show()
    laid_out()
    wide = window._beside.width()
    for grip, by in ((folding.handle, -60), (folding.edge, 40)):
        QTest.mousePress(grip, Qt.MouseButton.LeftButton, pos=QPoint(3, 50))
        QTest.mouseMove(grip, QPoint(3 + by, 50))
        QTest.mouseRelease(grip, Qt.MouseButton.LeftButton, pos=QPoint(3 + by, 50))
        laid_out()
    assert window._beside.width() > wide + 30, "the sheet is wider, and still open"
    assert window.shelf.width() > 180
    folding._settings.sync()
    kept = QSettings(folding._settings.fileName(), QSettings.Format.IniFormat)
    assert int(str(kept.value("sheet-width"))) == window._beside.width()


def test_panels_fold_by_themselves_and_by_hand_and_stay_so(bench):
    window, folding = bench.window, bench.window.folding
    window.resize(1280, 800)
    window.show()
    assert (window.shelf.width(), window._beside.isVisible()) == (folding.width_of("shelf"), True)
    window.resize(700, 600)
    laid_out()
    assert window.shelf.width() < 60
    assert not window._beside.isVisible()
    QTest.mouseClick(folding.handle, Qt.MouseButton.LeftButton)
    assert window._beside.isVisible()
    assert window._beside.geometry().right() < folding.handle.mapTo(window.centralWidget(), folding.handle.rect().center()).x()
    bench.type("gap", "0,31")
    assert bench.params.gap == 0.31
    field = window.sheet.editors["gap"]
    QTest.keyClicks(field, "9")
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert window._beside.isVisible(), "first what was typed goes back"
    assert bench.params.gap == 0.31
    QTest.keyClick(field, Qt.Key.Key_Escape)
    assert not window._beside.isVisible()
    QTest.mouseClick(folding.handle, Qt.MouseButton.LeftButton)
    assert window._beside.isVisible()
    QTest.mouseClick(folding.handle, Qt.MouseButton.LeftButton)
    assert not window._beside.isVisible()
    window.resize(1280, 800)
    laid_out()
    assert window._beside.isVisible()
    QTest.mouseClick(window.shelf.fold_button, Qt.MouseButton.LeftButton)
    assert window.shelf.width() < 60
    assert window._beside.isVisible()
    QTest.mouseClick(folding.handle, Qt.MouseButton.LeftButton)
    assert not window._beside.isVisible()
    other = QSettings(folding._settings.fileName(), QSettings.Format.IniFormat)
    folding._settings.sync()
    assert sorted(str(other.value("folded")).split()) == ["sheet:yes", "shelf:yes"]
    folding.turn("sheet")
    folding.turn("shelf")
    assert window.shelf.width() == folding.width_of("shelf")
