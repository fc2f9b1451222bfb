#![allow(warnings)]
#[path = "../tests/shapes/mod.rs"]
mod shapes;
use std::f64::consts::PI;
use geometry::Vector3;
use nalgebra::{Matrix4, Rotation3};
use shapes::*;
use topology::*;

struct Rng(u64);
impl Rng {
    fn next(&mut self) -> f64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
    }
}
fn shape(kind: usize, size: f64) -> Shell {
    match kind {
        0 => block([-5.0 * size, -4.0 * size, -3.0 * size], [10.0 * size, 8.0 * size, 6.0 * size]),
        1 => moved(&cylinder(4.0 * size, 10.0 * size), 0.0, 0.0, -5.0 * size),
        2 => sphere(5.0 * size),
        3 => torus(5.0 * size, 2.0 * size),
        _ => moved(&cone(5.0 * size, 2.0 * size, 8.0 * size), 0.0, 0.0, -4.0 * size),
    }
}
fn one(seed: u64, grid: bool, verbose: bool) -> Solid {
    let mut r = Rng(seed);
    let kind = (r.next() * 5.0) as usize;
    let size = if grid { [0.5, 1.0][(r.next() * 2.0) as usize] } else { 0.3 + 1.3 * r.next() };
    let mut v = |a: f64| if grid { (r.next() * 11.0).floor() - 5.0 } else { (r.next() - 0.5) * 2.0 * a };
    let at = [v(7.0), v(7.0), v(7.0)];
    let mut w = || if grid { (r.next() * 4.0).floor() * PI / 2.0 } else { r.next() * 2.0 * PI };
    let turn = [w(), w(), w()];
    if verbose { println!("kind {kind} size {size} at {at:?} turn {turn:?}"); }
    let rot = Rotation3::from_euler_angles(turn[0], turn[1], turn[2]).to_homogeneous();
    Solid::try_new(vec![shape(kind, size).transformed(&(Matrix4::new_translation(&Vector3::from(at)) * rot))]).unwrap()
}
fn check(seed: u64, grid: bool, verbose: bool) -> Result<(), String> {
    let (a, b) = (one(2 * seed, grid, verbose), one(2 * seed + 1, grid, verbose));
    if verbose {
        let (wa, wb) = (a.whole(), b.whole());
        let made = imprint(&[&wa, &wb], &tolerance()).unwrap();
        let cells = made.cells(&tolerance());
        println!("loose {:?}\ntouch {:?}\nvolumes {:?} sides {:?}", made.loose_ends, made.touches, cells.volumes, cells.sides);
        println!("{}", told(&made.shell));
    }
    let of = |first: &Solid, second: &Solid, op| -> Result<f64, String> {
        let made = combine(&[first], &[second], op, &tolerance()).map_err(|e| { let mut s = e.to_string(); s.truncate(60); s })?;
        if verbose { println!("{op:?} {} solids {:?}", made.solids.len(), made.solids.iter().map(volume).collect::<Vec<_>>()); }
        for s in &made.solids { sound(s); }
        Ok(made.solids.iter().map(volume).sum())
    };
    let (va, vb) = (volume(&a), volume(&b));
    let size = va + vb;
    let close = |what: &str, x: f64, y: f64| if (x - y).abs() <= 1e-6 * size { Ok(()) } else { Err(format!("{what} off")) };
    let c = of(&a, &b, Operation::Common)?;
    close("swap", of(&b, &a, Operation::Common)?, c)?;
    close("a-b", of(&a, &b, Operation::Subtract)? + c, va)?;
    close("b-a", of(&b, &a, Operation::Subtract)? + c, vb)?;
    close("union", of(&a, &b, Operation::Union)? + c, size)?;
    Ok(())
}
fn main() {
    let args: Vec<String> = std::env::args().collect();
    let grid = args[1] == "grid";
    let (from, to): (u64, u64) = (args[2].parse().unwrap(), args[3].parse().unwrap());
    let verbose = args.len() > 4;
    if !verbose { std::panic::set_hook(Box::new(|_| {})); }
    let mut kinds: std::collections::BTreeMap<String, Vec<u64>> = Default::default();
    for seed in from..to {
        let r = std::panic::catch_unwind(|| check(seed, grid, verbose));
        let message = match r {
            Ok(Ok(())) => continue,
            Ok(Err(e)) => e,
            Err(p) => {
                let mut s = p.downcast_ref::<String>().cloned().or(p.downcast_ref::<&str>().map(|s| s.to_string())).unwrap_or_default();
                s.truncate(90);
                s.chars().filter(|c| !c.is_ascii_digit()).collect()
            }
        };
        kinds.entry(message).or_default().push(seed);
    }
    let bad: usize = kinds.values().map(Vec::len).sum();
    println!("{bad} of {} bad", to - from);
    for (k, v) in kinds { println!("{} x {k}: {:?}", v.len(), &v[..v.len().min(12)]); }
}
