"""The look of every widget, from the colours of a theme."""

from __future__ import annotations

from PyQt6.QtGui import QColor, QFont, QPalette

from blunt_ember.picture.palette import Theme

FONT_FAMILY = "DejaVu Sans"


def base_font() -> QFont:
    """The font of the window; DejaVu Sans has figures of one width."""
    font = QFont(FONT_FAMILY)
    font.setPointSizeF(9.0)
    return font


def palette(theme: Theme) -> QPalette:
    """Return the palette, for what no style sheet reaches."""
    colours = QPalette()
    for role, colour in (
        (QPalette.ColorRole.Window, theme.desk),
        (QPalette.ColorRole.Base, theme.field),
        (QPalette.ColorRole.AlternateBase, theme.paper),
        (QPalette.ColorRole.Text, theme.ink),
        (QPalette.ColorRole.WindowText, theme.ink),
        (QPalette.ColorRole.Button, theme.paper),
        (QPalette.ColorRole.ButtonText, theme.ink),
        (QPalette.ColorRole.ToolTipBase, theme.paper),
        (QPalette.ColorRole.ToolTipText, theme.ink),
        (QPalette.ColorRole.Highlight, theme.ember),
        (QPalette.ColorRole.HighlightedText, theme.paper),
        (QPalette.ColorRole.PlaceholderText, theme.quiet),
        (QPalette.ColorRole.Link, theme.teal),
    ):
        colours.setColor(role, QColor(colour))
    return colours


def style_sheet(theme: Theme) -> str:
    """Return the style sheet of the application."""
    t = theme
    return f"""
    QWidget {{ color: {t.ink}; }}
    QMainWindow, QMenuBar {{ background: {t.desk}; }}
    QMenuBar::item {{ padding: 4px 10px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {t.hairline}; color: {t.ink}; }}
    QMenu {{ background: {t.paper}; border: 1px solid {t.hairline}; padding: 4px; }}
    QMenu::item {{ padding: 4px 24px 4px 12px; }}
    QMenu::item:disabled {{ color: {t.quiet}; }}
    QMenu::separator {{ height: 1px; background: {t.hairline}; margin: 4px 8px; }}
    QToolTip {{ background: {t.paper}; color: {t.ink}; border: 1px solid {t.hairline}; padding: 3px; }}
    QStatusBar {{ background: {t.desk}; color: {t.quiet}; }}
    #header, #sheetPage, #checksPage, #strip, #startPage {{ background: {t.paper}; }}
    QScrollArea {{ background: {t.paper}; border: none; }}
    QSplitter::handle {{ background: {t.hairline}; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {t.hairline}; border-radius: 4px; min-height: 24px; }}
    QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; height: 0; }}
    QLabel[role="heading"] {{ color: {t.ember}; font-weight: bold; }}
    QLabel[role="quiet"], QLabel[role="state"] {{ color: {t.quiet}; }}
    QLabel[role="strong"] {{ font-weight: bold; }}
    QLabel[role="value"] {{ color: {t.value}; }}
    QLabel[role="parameter"] {{ color: {t.teal}; }}
    QLabel[role="fault"] {{ color: {t.off}; }}
    QLabel[role="note"] {{ background: {t.note}; color: {t.quiet}; border-radius: 3px; padding: 3px 8px; }}
    QLabel[role="open"] {{ background: {t.note}; color: {t.ember}; border-radius: 3px; padding: 3px 8px; }}
    QLabel[role="title"] {{ font-size: 13pt; font-weight: bold; }}
    QLabel[role="figure"] {{ font-size: 12pt; font-weight: bold; }}
    QLabel[verdict="agrees"] {{ color: {t.agree}; font-weight: bold; }}
    QLabel[verdict="off"] {{ color: {t.off}; font-weight: bold; }}
    QLabel[verdict="open"] {{ color: {t.quiet}; font-weight: bold; }}
    QFrame[role="line"] {{ background: {t.hairline}; border: none; }}
    QFrame[role="card"] {{ background: {t.field}; border: 1px solid {t.hairline}; border-radius: 6px; }}
    QLineEdit {{ background: {t.field}; color: {t.value}; border: 1px solid {t.hairline}; border-radius: 3px;
        padding: 1px 4px; selection-background-color: {t.ember}; selection-color: {t.paper}; }}
    QLineEdit:focus {{ border: 1px solid {t.ember}; }}
    QLineEdit[wrong="true"] {{ border: 1px solid {t.off}; color: {t.off}; }}
    QLineEdit[name="true"] {{ background: transparent; border: 1px solid transparent; font-weight: bold; color: {t.ink}; padding: 1px 0; margin-left: -2px; }}
    QLineEdit[name="true"]:hover {{ border-bottom: 1px dashed {t.quiet}; }}
    QLineEdit[name="true"]:focus {{ background: {t.field}; border: 1px solid {t.ember}; }}
    QLineEdit[formula="true"] {{ font-style: italic; color: {t.ink}; }}
    QToolButton[role="choice"] {{ border: none; border-bottom: 1px solid {t.hairline}; padding: 1px 0; background: transparent; font-weight: bold; }}
    QToolButton[role="plain choice"] {{ border: none; border-bottom: 1px solid {t.hairline}; padding: 1px 0; background: transparent; }}
    QToolButton[role="choice"]:hover, QToolButton[role="plain choice"]:hover {{ border-bottom: 1px solid {t.ember}; }}
    QToolButton[pointed="true"] {{ background: {t.note}; border-bottom: 2px solid {t.ember}; }}
    QToolButton[role="choice"][open="true"] {{ color: {t.ember}; }}
    QToolButton::menu-indicator {{ image: none; }}
    QToolButton[role="link"] {{ border: none; background: transparent; color: {t.teal}; padding: 1px 0; text-align: left; }}
    QToolButton[role="parameter"] {{ border: none; background: transparent; color: {t.teal}; padding: 1px 0; }}
    QToolButton[role="parameter"]:hover {{ border-bottom: 1px solid {t.teal}; }}
    QToolButton[role="link"]:hover {{ text-decoration: underline; }}
    QToolButton[role="remove"] {{ border: none; background: transparent; color: {t.hairline}; padding: 0 3px; }}
    QToolButton[role="remove"]:hover, QToolButton[role="remove"]:focus {{ color: {t.off}; }}
    QToolButton[role="choice"]:focus, QToolButton[role="plain choice"]:focus, QToolButton[role="link"]:focus,
    QToolButton[role="parameter"]:focus, QToolButton[role="remove"]:focus {{ border: 1px dotted {t.ember}; }}
    QPushButton {{ background: {t.field}; border: 1px solid {t.hairline}; border-radius: 12px; padding: 3px 13px; min-height: 16px; }}
    QPushButton[role="lens"] {{ padding: 3px 8px; }}
    QPushButton:hover {{ border-color: {t.quiet}; }}
    QPushButton:focus {{ border-color: {t.ember}; }}
    QPushButton:checked {{ background: {t.ink}; color: {t.paper}; border-color: {t.ink}; }}
    QPushButton:disabled {{ color: {t.quiet}; background: {t.paper}; }}
    QPushButton[role="primary"] {{ background: {t.ember}; color: {"#FFFFFF" if t.name == "light" else t.stage}; border-color: {t.ember}; }}
    QPushButton[role="card"] {{ border-radius: 6px; text-align: left; padding: 12px; }}
    QTableView {{ background: {t.paper}; alternate-background-color: {t.note}; border: none; border-top: 1px solid {t.hairline};
        selection-background-color: {t.hairline}; selection-color: {t.ink}; }}
    QHeaderView {{ background: {t.paper}; }}
    QHeaderView::section {{ background: {t.paper}; color: {t.quiet}; border: none; border-bottom: 1px solid {t.hairline}; padding: 3px 6px; }}
    QDialog {{ background: {t.paper}; }}
    """
