//! Work that is stopped ends soon, tells why, and leaves other work alone.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use geometry::{
    Budget, Cancel, EndsKept, Halt, NurbsCurve, Point3, Work, check_work, fit_points, part_of_work, recast,
    shared_work,
};

fn endless() {
    loop {
        check_work();
        std::hint::spin_loop();
    }
}

fn brief() -> Budget {
    Budget { time: Duration::from_millis(50), ..Budget::default() }
}

#[test]
fn cancelled_work_ends_and_says_so() {
    let cancel = Cancel::default();
    let work = Work::new(&cancel, &Budget::default());
    std::thread::scope(|scope| {
        scope.spawn(|| {
            std::thread::sleep(Duration::from_millis(30));
            cancel.cancel();
        });
        assert_eq!(work.run(endless), Err(Halt::Cancelled));
    });
    // What is no part of any work is never stopped.
    (0..1000).for_each(|_| check_work());
}

#[test]
fn work_ends_when_its_time_is_up_or_its_memory_used() {
    let started = Instant::now();
    assert_eq!(Work::new(&Cancel::default(), &brief()).run(endless), Err(Halt::OutOfTime(brief().time)));
    assert!(started.elapsed() < Duration::from_secs(5));
    static HELD: AtomicUsize = AtomicUsize::new(1000);
    let meter = || HELD.fetch_add(10, Ordering::Relaxed);
    let budget = Budget { bytes: 500, meter: Some(meter), ..Budget::default() };
    assert_eq!(Work::new(&Cancel::default(), &budget).run(endless), Err(Halt::OutOfMemory(500)));
}

#[test]
fn a_part_with_a_budget_of_its_own_ends_alone_or_with_the_whole() {
    let whole = Work::new(&Cancel::default(), &Budget { time: 4 * brief().time, ..Budget::default() });
    let came_to = whole.run(|| {
        assert_eq!(part_of_work(&Cancel::default(), &brief(), endless), Err(Halt::OutOfTime(brief().time)));
        let _ = part_of_work(&Cancel::default(), &Budget::default(), endless);
        unreachable!("the whole's time is up")
    });
    assert_eq!(came_to, Err(Halt::OutOfTime(4 * brief().time)));
}

#[test]
fn what_stops_a_whole_stops_its_parts_and_no_other_way() {
    let (outer, inner) = (Cancel::default(), Cancel::default());
    let whole = Work::new(&outer, &Budget::default());
    let came_to = whole.run(|| {
        // A part that uses up its own time leaves the whole at work.
        let part = Work::new(&inner, &brief()).run(endless);
        assert_eq!(part, Err(Halt::OutOfTime(brief().time)));
        check_work();
        outer.cancel();
        Work::new(&inner, &Budget::default()).run(endless)
    });
    assert_eq!(came_to, Ok(Err(Halt::Cancelled)));
}

#[test]
fn other_threads_share_the_work_that_they_are_given() {
    let cancel = Cancel::default();
    let done = Work::new(&cancel, &Budget::default()).run(|| {
        let job = shared_work(|()| endless());
        std::thread::scope(|scope| {
            let other = scope.spawn(|| job(()));
            cancel.cancel();
            other.join().is_err()
        })
    });
    assert_eq!(done, Ok(true), "the other thread unwound");
}

#[test]
fn a_fault_of_the_program_ends_the_work_that_it_is_in_and_no_more() {
    let work = Work::new(&Cancel::default(), &Budget::default());
    let broken = work.run(|| [1, 2].iter().map(|k| 4 / (k - 1)).sum::<i32>());
    assert!(matches!(&broken, Err(Halt::Broken(why)) if why.contains("divide by zero")), "{broken:?}");
    assert_eq!(work.run(|| 2), Ok(2));
}

/// Fits of very many points take long by right; they must hear of a stop within a moment wherever they are.
#[test]
fn fits_hear_of_a_stop() {
    let points: Vec<Point3> =
        (0..20_000).map(|k| Point3::new(f64::from(k), f64::from(k).sin(), 0.0)).collect();
    let line = NurbsCurve::line(points[0], points[1]);
    for job in [
        Box::new(|| drop(fit_points(&points, 3, 1e-9, 1e-12))) as Box<dyn Fn()>,
        Box::new(|| drop(recast(&line, 3, 100_000, EndsKept::Tangents))),
    ] {
        let cancel = Cancel::default();
        let started = Instant::now();
        std::thread::scope(|scope| {
            scope.spawn(|| {
                std::thread::sleep(Duration::from_millis(20));
                cancel.cancel();
            });
            let _ = Work::new(&cancel, &Budget::default()).run(job);
        });
        assert!(started.elapsed() < Duration::from_secs(2), "{:?}", started.elapsed());
    }
}
