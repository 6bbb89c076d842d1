//! The wiring of a pipeline: every stage with its descriptors, and where each leads.

use crate::diagram::heading;
use crate::scene::{Face, Scene, color};
use crate::text::{visible, wrap};

/// All stages of a pipeline.
#[derive(Clone, Debug, Default)]
pub struct Wiring {
    /// What is over it.
    pub title: String,
    /// In small type under the title.
    pub about: String,
    /// The stages.
    pub nodes: Vec<Node>,
}

/// A stage.
#[derive(Clone, Debug, Default)]
pub struct Node {
    /// Its text.
    pub command: String,
    /// Its descriptors, in the order of their numbers.
    pub ports: Vec<Port>,
    /// The redirections, in the order in which they are performed.
    pub steps: Vec<String>,
}

/// A descriptor.
#[derive(Clone, Debug, Default)]
pub struct Port {
    /// Its number.
    pub number: u8,
    /// It is read, not written.
    pub reads: bool,
    /// Where it leads, in words.
    pub leads: String,
    /// It leads to the next stage by a pipe.
    pub piped: bool,
}

const WIDTH: f64 = 720.0;
const MARGIN: f64 = 28.0;
const BOX_RIGHT: f64 = 330.0;
const LABEL: f64 = 400.0;
const CODE: Face = Face::new(10.5);
const PORT: Face = Face::new(9.5);
const SMALL: Face = Face::new(8.5).quiet();

impl Wiring {
    /// Draws it.
    pub fn scene(&self) -> Scene {
        let title = visible(&self.title);
        let mut scene = Scene::new(&title, WIDTH);
        let mut y = heading(&mut scene, &title, &visible(&self.about));
        for (number, node) in self.nodes.iter().enumerate() {
            y = draw_node(&mut scene, y, number, node);
            // The pipe to the next stage.
            if number + 1 < self.nodes.len() && node.ports.iter().any(|port| port.piped) {
                let x = MARGIN + 60.0;
                scene.line((x, y), (x, y + 26.0), color::hue(number), 1.6);
                scene.arrow((x, y + 28.0), true, color::hue(number));
                scene.text(x + 10.0, y + 17.0, 200.0, "pipe", SMALL);
            }
            y += 28.0;
        }
        scene.height = y + 4.0;
        scene
    }
}

fn draw_node(scene: &mut Scene, top: f64, number: usize, node: &Node) -> f64 {
    let hue = color::hue(number);
    let room = BOX_RIGHT - MARGIN - 36.0;
    let rows = wrap(&visible(&node.command), CODE.cells_in(room), 6);
    let label_room = WIDTH - MARGIN - LABEL;
    let ports: Vec<(u8, bool, Vec<String>)> = node
        .ports
        .iter()
        .map(|port| {
            (port.number, port.reads, wrap(&visible(&port.leads), PORT.cells_in(label_room), 3))
        })
        .collect();
    let ports_height: f64 =
        ports.iter().map(|(.., rows)| rows.len() as f64 * 12.0 + 5.0).sum::<f64>() + 10.0;
    let height = (rows.len() as f64 * 13.5 + 14.0).max(ports_height);
    scene.rect((MARGIN, top), (BOX_RIGHT - MARGIN, height), Some(color::PAPER), Some(hue));
    scene.rect((MARGIN, top), (24.0, height), Some(color::tint(hue)), Some(hue));
    let label = (number + 1).to_string();
    scene.text(MARGIN + 12.0, top + 17.0, 24.0, &label, CODE.bold().centred());
    let mut line = top + 17.0;
    for row in rows {
        scene.text(MARGIN + 32.0, line, room, &row, CODE);
        line += 13.5;
    }
    let mut y = top + 15.0;
    for (port, reads, rows) in ports {
        let middle = y - 3.0;
        scene.line((BOX_RIGHT, middle), (LABEL - 8.0, middle), hue, 0.9);
        scene.rect(
            (BOX_RIGHT - 8.0, middle - 6.0),
            (16.0, 12.0),
            Some(color::tint(hue)),
            Some(hue),
        );
        scene.text(
            BOX_RIGHT,
            middle + 3.2,
            16.0,
            &port.to_string(),
            Face::new(8.5).bold().centred(),
        );
        if reads {
            let back = vec![
                (BOX_RIGHT + 14.0, middle - 3.0),
                (BOX_RIGHT + 14.0, middle + 3.0),
                (BOX_RIGHT + 9.0, middle),
            ];
            scene.polygon(back, hue, None);
        } else {
            scene.arrow((LABEL - 6.0, middle), false, hue);
        }
        for row in rows {
            scene.text(LABEL, y, label_room, &row, PORT);
            y += 12.0;
        }
        y += 5.0;
    }
    let mut bottom = top + height;
    if node.steps.len() > 1 {
        let text = format!("in this order: {}", node.steps.join("   then   "));
        bottom += 4.0;
        for row in wrap(&visible(&text), SMALL.cells_in(WIDTH - 2.0 * MARGIN - 8.0), 4) {
            bottom += 10.5;
            scene.text(MARGIN + 4.0, bottom, WIDTH - 2.0 * MARGIN - 8.0, &row, SMALL);
        }
        bottom += 6.0;
    }
    bottom
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_runs_out_or_over() {
        let long = "very-long-name/".repeat(200);
        for text in ["", "<f>", "道".repeat(300).as_str(), &long] {
            let port =
                |number, reads| Port { number, reads, leads: text.to_owned(), piped: !reads };
            let node = Node {
                command: text.to_owned(),
                ports: (0..10).map(|number| port(number, number == 0)).collect(),
                steps: vec![text.to_owned(); 3],
            };
            let wiring = Wiring {
                title: text.to_owned(),
                about: text.to_owned(),
                nodes: vec![node.clone(), Node::default(), node],
            };
            assert_eq!(wiring.scene().misplaced(), Vec::<String>::new());
        }
    }
}
