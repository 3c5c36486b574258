//! Draws one frame of a scene: a dome of stars, a sun, and planets on brass rings.

use std::f32::consts::TAU;

use truepath_core::picture::{Channels, Size};
use truepath_media::Canvas;

use crate::lettering::centred;
use crate::scene::{Camera, Planet, Scene};

/// What one frame is drawn from.
pub(crate) struct Shot<'a> {
    pub(crate) scene: &'a Scene,
    pub(crate) camera: Camera,
    pub(crate) title: &'a str,
    pub(crate) pass: &'a str,
    pub(crate) frame: i64,
    /// How far into the scene the frame is, from 0 to 1.
    pub(crate) time: f32,
    /// Multiplies the light.
    pub(crate) exposure: f32,
    /// Samples along each side of a pixel.
    pub(crate) samples: u32,
}

/// What is seen at a point.
#[derive(Clone, Copy)]
struct Seen {
    color: [f32; 3],
    alpha: f32,
    /// 0 near, 1 far.
    depth: f32,
    /// 0 in shadow, 1 lit.
    light: f32,
}

const OUTSIDE: Seen = Seen {
    color: [0.0; 3],
    alpha: 0.0,
    depth: 1.0,
    light: 1.0,
};

struct Body {
    x: f32,
    y: f32,
    /// Towards the viewer.
    z: f32,
    planet: Planet,
}

pub(crate) fn draw(shot: &Shot<'_>, size: Size, channels: Channels) -> Canvas {
    let mut canvas = Canvas::new(size, channels);
    let mut bodies: Vec<Body> = shot
        .scene
        .planet
        .iter()
        .map(|planet| {
            let angle = (planet.start + shot.camera.turn + planet.turns * shot.time) * TAU;
            Body {
                x: angle.cos() * planet.ring,
                y: angle.sin() * planet.ring * (1.0 - shot.camera.tilt),
                z: angle.sin() * shot.camera.tilt,
                planet: *planet,
            }
        })
        .collect();
    bodies.sort_by(|a, b| b.z.total_cmp(&a.z));
    let count = channels.count();
    let half = size.width.min(size.height) as f32 / 2.0;
    let grid = shot.samples.clamp(1, 8);
    for y in 0..size.height {
        for x in 0..size.width {
            let mut sum = [0.0; 4];
            for sample in 0..grid * grid {
                let offset = |index: u32| (index as f32 + 0.5) / grid as f32;
                let u = (x as f32 + offset(sample % grid) - size.width as f32 / 2.0) / half;
                let v = (y as f32 + offset(sample / grid) - size.height as f32 / 2.0) / half;
                let mut values = values(shot, &look(shot, &bodies, u, v, 1.0 / half));
                if LIGHT.contains(&shot.pass) {
                    let grain = grain(x * grid + sample % grid, y * grid + sample / grid, shot);
                    for value in &mut values[..3] {
                        *value *= grain;
                    }
                }
                for (total, value) in sum.iter_mut().zip(values) {
                    *total += value / (grid * grid) as f32;
                }
            }
            let [r, g, b, a] = sum;
            let at = (y as usize * size.width as usize + x as usize) * count;
            let luminance = 0.2126 * r + 0.7152 * g + 0.0722 * b;
            let values: &[f32] = match channels {
                Channels::Gray => &[luminance],
                Channels::GrayAlpha => &[luminance, a],
                Channels::Rgb => &[r, g, b],
                Channels::Rgba => &[r, g, b, a],
            };
            canvas.values[at..at + count].copy_from_slice(values);
        }
    }
    let scale = (size.height / 128).max(1);
    let line = 9 * scale;
    let bottom = size.height - size.height / 20;
    let value = if shot.pass == "shadow" { 0.0 } else { 1.0 };
    for (row, text) in [shot.title, shot.pass, &format!("{:04}", shot.frame)]
        .iter()
        .enumerate()
    {
        let up = u32::try_from(3 - row).unwrap_or(0) * line;
        centred(&mut canvas, text, bottom.saturating_sub(up), scale, value);
    }
    canvas
}

/// The passes that show light, and so the noise of a renderer that samples it.
const LIGHT: [&str; 2] = ["beauty", "shadow"];

/// The noise of one sample, the same every time; more samples leave less of it.
fn grain(x: u32, y: u32, shot: &Shot<'_>) -> f32 {
    let seed = hash(
        x as i32,
        y as i32 ^ (shot.frame as i32).wrapping_mul(0x6d2b_79f5),
    );
    0.8 + 0.4 * (seed & 0xffff) as f32 / 65_535.0
}

/// What a pass keeps of what is seen.
fn values(shot: &Shot<'_>, seen: &Seen) -> [f32; 4] {
    let [r, g, b] = seen.color;
    match shot.pass {
        "depth" => [seen.depth, seen.depth, seen.depth, seen.alpha],
        "shadow" => [seen.light, seen.light, seen.light, seen.alpha],
        _ => {
            let lit = shot.exposure * (0.25 + 0.75 * seen.light);
            [r * lit, g * lit, b * lit, seen.alpha]
        }
    }
}

fn look(shot: &Shot<'_>, bodies: &[Body], u: f32, v: f32, pixel: f32) -> Seen {
    // A dome picture is a disc: nothing is seen outside of it.
    if u * u + v * v > 1.0 {
        return OUTSIDE;
    }
    let (u, v) = (u / shot.camera.zoom, v / shot.camera.zoom);
    let mut seen = sky(u, v, pixel);
    for planet in &shot.scene.planet {
        let flat = (1.0 - shot.camera.tilt).max(0.02);
        let distance = (u * u + v * v / (flat * flat)).sqrt() - planet.ring;
        if distance.abs() * flat.max(0.3) < 0.006 {
            seen.color = [0.55, 0.38, 0.12];
            seen.depth = 0.6;
        }
    }
    let sun = &shot.scene.sun;
    let from_sun = (u * u + v * v).sqrt();
    let glow = (1.0 - (from_sun - sun.radius).max(0.0) * 4.0)
        .max(0.0)
        .powi(3);
    for (value, light) in seen.color.iter_mut().zip(sun.color) {
        *value += light * glow * 0.4;
    }
    if from_sun < sun.radius {
        seen.color = sun.color;
        seen.depth = 0.5;
    }
    for body in bodies {
        let (dx, dy) = (u - body.x, v - body.y);
        let radius = body.planet.radius * (1.0 + 0.3 * body.z);
        let distance = (dx * dx + dy * dy).sqrt();
        // In front of the sun a planet is seen whatever its side; behind it is hidden.
        if distance > radius || (from_sun < sun.radius && body.z < 0.0) {
            continue;
        }
        let reach = (body.x * body.x + body.y * body.y).sqrt().max(0.001);
        let towards_sun = -(dx * body.x + dy * body.y) / (reach * radius);
        seen.light = (0.5 + 0.8 * towards_sun).clamp(0.0, 1.0);
        seen.color = body.planet.color;
        seen.depth = 0.5 - 0.4 * body.z - 0.1 * (1.0 - (distance / radius).powi(2)).sqrt();
    }
    seen
}

/// Stars at places that only depend on where one looks.
fn sky(u: f32, v: f32, pixel: f32) -> Seen {
    let cell = 0.06;
    let (column, row) = ((u / cell).floor(), (v / cell).floor());
    let seed = hash(column as i32, row as i32);
    let part = |shift: u32| (seed >> shift & 0xff) as f32 / 255.0;
    let (dx, dy) = (u / cell - column - part(0), v / cell - row - part(8));
    let radius = (0.02 + 0.06 * part(16)).max(pixel / cell * 0.7);
    let star = if dx * dx + dy * dy < radius * radius && part(24) > 0.6 {
        part(16)
    } else {
        0.0
    };
    let night = 0.02 + 0.03 * (1.0 - v) / 2.0;
    Seen {
        color: [night * 0.6 + star, night * 0.8 + star, night * 2.0 + star],
        alpha: 1.0,
        depth: 1.0,
        light: 1.0,
    }
}

fn hash(x: i32, y: i32) -> u32 {
    let mut seed = (x as u32).wrapping_mul(0x9e37_79b1) ^ (y as u32).wrapping_mul(0x85eb_ca6b);
    seed ^= seed >> 15;
    seed = seed.wrapping_mul(0x2c1b_3c6d);
    seed ^= seed >> 12;
    seed = seed.wrapping_mul(0x297a_2d39);
    seed ^ seed >> 15
}
