//! The mouse does what the keys do.

use ratatui::crossterm::event::{
    Event as TerminalEvent, KeyModifiers, MouseButton, MouseEvent, MouseEventKind,
};
use unicode_width::UnicodeWidthStr;

use super::{press, river, text};
use crate::screen::place::{Focus, Place};
use crate::screen_tests::stand::Stand;
use crate::state::app::Event;

const LOG: &str = "cat DIR/gate.log | grep refused";
const SIZE: (u16, u16) = (140, 44);

fn mouse(stand: &mut Stand, kind: MouseEventKind, (column, row): (u16, u16)) {
    let event = MouseEvent { kind, column, row, modifiers: KeyModifiers::NONE };
    stand.app.update(Event::Terminal(TerminalEvent::Mouse(event)));
}

/// Where a text is on the screen: its first cell.
fn place_of(stand: &mut Stand, wanted: &str) -> (u16, u16) {
    let screen = stand.screen(SIZE.0, SIZE.1);
    let found = screen.lines().enumerate().find_map(|(row, line)| {
        let at = line.find(wanted)?;
        Some((line[..at].width() as u16, row as u16))
    });
    found.unwrap_or_else(|| panic!("no {wanted} on\n{screen}"))
}

fn click(stand: &mut Stand, wanted: &str) {
    let at = place_of(stand, wanted);
    mouse(stand, MouseEventKind::Down(MouseButton::Left), at);
    mouse(stand, MouseEventKind::Up(MouseButton::Left), at);
}

#[test]
fn views_stages_lines_and_keys_are_clicked() {
    let mut stand = river(LOG);
    click(&mut stand, "cat /tmp/.stand");
    assert_eq!(stand.app.focus, Focus::Text);
    click(&mut stand, " 1 cat /");
    assert_eq!((stand.app.focus, stand.app.place), (Focus::River, Place::Stage(0)));
    click(&mut stand, "Wiring");
    assert_eq!(stand.app.view, crate::views::wiring::NAME);
    click(&mut stand, "Bench");
    assert_eq!(stand.app.view, crate::screen::view_name::BENCH);
    click(&mut stand, "select");
    assert_eq!(stand.app.view, crate::screen::view_name::BENCH, "two keys at once mean nothing");
    click(&mut stand, "lens");
    assert_eq!(stand.app.focus, Focus::Lens, "the key of a name");
    // A selected stage that is clicked again shows its options.
    click(&mut stand, "  2 grep");
    click(&mut stand, "  2 grep");
    assert!(stand.app.drawer_of::<crate::views::sheet::state::SheetView>().is_some());
    click(&mut stand, "-v ");
    assert!(!text(&stand).contains("-v"));
    click(&mut stand, "-v ");
    assert_eq!(text(&stand), "cat DIR/gate.log | grep -v refused");
    // Beside the drawer it is closed.
    click(&mut stand, "Throughput");
    assert!(stand.app.drawer.is_none());
    assert_eq!(text(&stand), "cat DIR/gate.log | grep refused");
}

#[test]
fn a_cell_is_clicked_and_a_piece_is_drawn_over() {
    let mut stand = river("cat DIR/gate.log");
    click(&mut stand, "gate-03 card=3 ");
    assert_eq!((stand.app.focus, stand.app.lens.cursor), (Focus::Lens, 3));
    click(&mut stand, "card=3 ");
    let Some(point) = stand.app.drawer_of::<crate::views::point::state::PointView>() else {
        panic!("not pointed at")
    };
    assert_eq!((point.line, point.field), (Some(4), 2));
    click(&mut stand, "only field 3");
    click(&mut stand, "only field 3");
    assert_eq!(text(&stand), "cat DIR/gate.log | cut -d' ' -f3");
    stand.settle();
    let mut stand = river("cat DIR/gate.log");
    let (column, row) = place_of(&mut stand, "gate-05 card=5 ");
    mouse(&mut stand, MouseEventKind::Down(MouseButton::Left), (column, row));
    mouse(&mut stand, MouseEventKind::Drag(MouseButton::Left), (column + 3, row));
    mouse(&mut stand, MouseEventKind::Up(MouseButton::Left), (column + 3, row));
    let Some(point) = stand.app.drawer_of::<crate::views::point::state::PointView>() else {
        panic!("not pointed at")
    };
    let marked = point.marked.clone().expect("a piece");
    assert_eq!(&point.text[marked], b"gate");
}

#[test]
fn the_wheel_scrolls_what_is_under_it() {
    let mut stand = river("cat DIR/gate.log");
    let at = place_of(&mut stand, "gate-03 card=3 ");
    mouse(&mut stand, MouseEventKind::ScrollDown, at);
    assert_eq!(stand.app.lens.cursor, 3);
    mouse(&mut stand, MouseEventKind::ScrollUp, at);
    assert_eq!(stand.app.lens.cursor, 0);
    press(&mut stand, "Space");
    mouse(&mut stand, MouseEventKind::ScrollDown, at);
    assert!(
        stand
            .app
            .drawer_of::<crate::views::action_list::ActionList>()
            .is_some_and(|list| list.0.at == 1)
    );
    // Where nothing is, nothing happens.
    press(&mut stand, "Esc e");
    let before = text(&stand);
    for kind in [
        MouseEventKind::ScrollUp,
        MouseEventKind::Down(MouseButton::Left),
        MouseEventKind::Down(MouseButton::Right),
    ] {
        mouse(&mut stand, kind, (139, 20));
        mouse(&mut stand, kind, (u16::MAX, u16::MAX));
    }
    assert_eq!(text(&stand), before);
}

#[test]
fn the_columns_are_clicked() {
    let mut stand = river("cat DIR/gate.log");
    click(&mut stand, "Columns");
    while stand
        .app
        .states
        .get::<crate::views::columns::state::ColumnsView>()
        .unwrap()
        .counted
        .is_none()
    {
        let event = stand.news.recv_timeout(std::time::Duration::from_secs(30)).expect("news");
        stand.app.update(event);
    }
    click(&mut stand, "card=");
    assert_eq!(stand.app.states.get::<crate::views::columns::state::ColumnsView>().unwrap().at, 2);
    click(&mut stand, "card=");
    assert!(stand.app.drawer_of::<crate::views::point::state::PointView>().is_some());
    // A row behind the drawer is not one of the drawer: the drawer is closed.
    click(&mut stand, "one of 7");
    assert!(stand.app.drawer.is_none());
    assert_eq!(stand.app.states.get::<crate::views::columns::state::ColumnsView>().unwrap().at, 2);
}
