//! The edit log on a real PostgreSQL: `DATABASE_URL` names a server where test databases can be made.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use serde_json::{Value, json};
use sqlx::PgPool;
use store::{Heard, Key, NewEdit, PartQuery, Store, StoreError, Summary};
use uuid::Uuid;

fn recipe(name: &str) -> Value {
    json!({"name": name, "steps": []})
}

async fn keyed(
    store: &Store,
    id: Uuid,
    version: i64,
    name: &str,
    key: Option<&Key>,
) -> Result<i64, StoreError> {
    let (edit, recipe) = (json!({"edit": "rename_part"}), recipe(name));
    let label = format!("Rename to {name}");
    let new = NewEdit { version, label: &label, edit: &edit, recipe: &recipe, name, added: None };
    Ok(store.append(id, &new, key).await?.part.version)
}

async fn change(store: &Store, id: Uuid, version: i64, name: &str) -> Result<i64, StoreError> {
    keyed(store, id, version, name, None).await
}

async fn walk(store: &Store, id: Uuid, version: i64, back: bool) -> Result<i64, StoreError> {
    Ok(store.step_history(id, version, back, None).await?.version)
}

async fn new_part(store: &Store) -> Uuid {
    store.create_part("Weather mast", "Begin", &recipe("Begin"), None).await.unwrap()
}

fn key(word: &str, of: &str) -> Key {
    Key { key: word.into(), fingerprint: of.as_bytes().to_vec() }
}

fn all() -> PartQuery {
    PartQuery { most: 100, ..PartQuery::default() }
}

#[sqlx::test(migrations = "./migrations")]
async fn undo_and_redo_walk_the_log_and_lose_nothing(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    let v2 = change(&store, id, 1, "A").await.unwrap();
    let v3 = change(&store, id, v2, "B").await.unwrap();
    let v4 = walk(&store, id, v3, true).await.unwrap();
    let part = store.part(id).await.unwrap();
    assert_eq!((part.name.as_str(), part.recipe["name"].as_str()), ("A", Some("A")));
    assert_eq!((part.undo.as_deref(), part.redo.as_deref()), (Some("Rename to A"), Some("Rename to B")));
    let v5 = walk(&store, id, v4, false).await.unwrap();
    assert_eq!(store.part(id).await.unwrap().name, "B");
    assert!(v5 > v4 && v4 > v3, "versions only move on");
    // A new edit after an undo leads the redo, and the old branch stays in the log.
    let v6 = walk(&store, id, v5, true).await.unwrap();
    let v7 = change(&store, id, v6, "C").await.unwrap();
    let v8 = walk(&store, id, v7, true).await.unwrap();
    walk(&store, id, v8, false).await.unwrap();
    assert_eq!(store.part(id).await.unwrap().name, "C");
}

#[sqlx::test(migrations = "./migrations")]
async fn undo_ends_at_the_beginning_and_redo_at_the_newest(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    assert!(matches!(walk(&store, id, 1, true).await, Err(StoreError::NoMore("undo"))));
    assert!(matches!(walk(&store, id, 1, false).await, Err(StoreError::NoMore("redo"))));
    let part = store.part(id).await.unwrap();
    assert_eq!((part.undo, part.redo, part.version), (None, None, 1));
}

#[sqlx::test(migrations = "./migrations")]
async fn of_two_changes_on_one_version_only_one_is_made(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    let (a, b) = tokio::join!(change(&store, id, 1, "A"), change(&store, id, 1, "B"));
    let failed =
        [&a, &b].into_iter().filter(|r| matches!(r, Err(StoreError::Conflict { current: 2, yours: 1 })));
    assert_eq!(failed.count(), 1, "{a:?} {b:?}");
    assert_eq!(store.part(id).await.unwrap().version, 2);
}

#[sqlx::test(migrations = "./migrations")]
async fn every_process_hears_of_a_change_and_of_what_it_may_have_missed(pool: PgPool) {
    let store = Store::on(pool.clone());
    let id = new_part(&store).await;
    let (tell, mut hear) = tokio::sync::mpsc::unbounded_channel();
    let listening = store.clone();
    let listener = tokio::spawn(async move {
        listening
            .listen(|c| {
                let _ = tell.send(c);
            })
            .await
    });
    // Listening starts on another connection; keep changing until it is heard, at most for a while.
    let mut version = 1;
    for _ in 0..100 {
        version = change(&store, id, version, "A").await.unwrap();
        tokio::time::sleep(std::time::Duration::from_millis(20)).await;
        let Ok(Heard::Change(change)) = hear.try_recv() else { continue };
        assert_eq!((change.part, change.removed), (id, false));
        assert!(change.version <= version);
        store.set_removed(id, true).await.unwrap();
        let mut last = change;
        while !last.removed {
            if let Some(Heard::Change(next)) = hear.recv().await {
                last = next;
            }
        }
        assert_eq!(last.version, version);
        // When its own connection is cut, it listens again and says that it may have missed something.
        let cut = "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE query LIKE 'LISTEN%'";
        sqlx::query(cut).execute(&pool).await.unwrap();
        loop {
            if let Some(Heard::Gap) = hear.recv().await {
                break;
            }
        }
        listener.abort();
        return;
    }
    panic!("nothing was heard");
}

#[sqlx::test(migrations = "./migrations")]
async fn a_removed_part_is_off_the_rack_and_can_come_back(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    store.set_removed(id, true).await.unwrap();
    assert_eq!(store.parts(&all()).await.unwrap().total, 0);
    let removed = store.parts(&PartQuery { removed: true, ..all() }).await.unwrap();
    assert_eq!(removed.parts.iter().map(|p| p.id).collect::<Vec<_>>(), [id]);
    assert!(!store.fill_if_empty("Demo", &[("One".into(), recipe("One"))]).await.unwrap());
    assert!(matches!(store.part(id).await, Err(StoreError::NoPart)));
    assert!(matches!(change(&store, id, 1, "A").await, Err(StoreError::NoPart)));
    store.set_removed(id, false).await.unwrap();
    assert_eq!(store.parts(&all()).await.unwrap().total, 1);
    assert!(matches!(store.set_removed(Uuid::new_v4(), true).await, Err(StoreError::NoPart)));
}

#[sqlx::test(migrations = "./migrations")]
async fn a_request_that_is_sent_again_is_carried_out_once(pool: PgPool) {
    let store = Store::on(pool);
    let (one, other) = (key("k1", "create"), key("k2", "create"));
    let make = |key: Key| {
        let store = store.clone();
        async move { store.create_part("P", "A", &recipe("A"), Some(&key)).await }
    };
    // At once and later, the same key makes one part.
    let (a, b) = tokio::join!(make(one.clone()), make(one.clone()));
    let id = a.unwrap();
    assert_eq!((b.unwrap(), make(one.clone()).await.unwrap()), (id, id));
    assert_ne!(make(other).await.unwrap(), id);
    assert_eq!(store.parts(&all()).await.unwrap().total, 2);
    let edit = key("k3", "edit");
    assert_eq!(store.carried_out(&edit).await.unwrap(), None);
    let first = keyed(&store, id, 1, "B", Some(&edit)).await.unwrap();
    assert_eq!(keyed(&store, id, 1, "B", Some(&edit)).await.unwrap(), first);
    assert_eq!(store.carried_out(&edit).await.unwrap(), Some((id, None)));
    let undo = key("k4", "undo");
    for _ in 0..2 {
        assert_eq!(store.step_history(id, first, true, Some(&undo)).await.unwrap().name, "A");
    }
    assert_eq!(store.version(id).await.unwrap(), first + 1);
    // A key that stands for something else is no way to get its answer.
    assert!(matches!(keyed(&store, id, 3, "C", Some(&key("k1", "edit"))).await, Err(StoreError::KeyTaken)));
    // What was refused was not carried out, and may be sent again.
    let late = key("k5", "late");
    assert!(matches!(keyed(&store, id, 1, "D", Some(&late)).await, Err(StoreError::Conflict { .. })));
    assert_eq!(keyed(&store, id, 3, "D", Some(&late)).await.unwrap(), 4);
}

#[sqlx::test(migrations = "./migrations")]
async fn a_part_that_something_holds_is_told_and_starves_no_other(pool: PgPool) {
    let options = pool.connect_options().as_ref().clone().options([("lock_timeout", "1500ms")]);
    let small = sqlx::postgres::PgPoolOptions::new().max_connections(3).connect_with(options).await.unwrap();
    let store = Store::on(small);
    let (held, free) = (new_part(&store).await, new_part(&store).await);
    let mut holder = pool.begin().await.unwrap();
    sqlx::query("SELECT * FROM parts WHERE id = $1 FOR UPDATE")
        .bind(held)
        .execute(&mut *holder)
        .await
        .unwrap();
    let waiting: Vec<_> = (0..8)
        .map(|k| {
            let store = store.clone();
            tokio::spawn(async move { change(&store, held, 1, &format!("Held {k}")).await })
        })
        .collect();
    let started = std::time::Instant::now();
    change(&store, free, 1, "Free").await.unwrap();
    assert!(started.elapsed().as_millis() < 1200, "{:?}", started.elapsed());
    // Reading waits for nobody.
    assert_eq!(store.part(held).await.unwrap().version, 1);
    for job in waiting {
        let refused = job.await.unwrap();
        assert!(matches!(refused, Err(StoreError::TooSlow)), "{refused:?}");
    }
    holder.rollback().await.unwrap();
    assert_eq!(change(&store, held, 1, "Let go").await.unwrap(), 2);
}

#[sqlx::test(migrations = "./migrations")]
async fn two_first_requests_make_one_project_and_the_demo_is_loaded_whole_or_not(pool: PgPool) {
    let store = Store::on(pool.clone());
    let parts: Vec<_> = ["One", "Two"].map(|name| (name.to_string(), recipe(name))).into();
    let broken = vec![parts[0].clone(), ("Nul".to_string(), json!({"name": "a\u{0}b"}))];
    assert!(matches!(store.fill_if_empty("Demo", &broken).await, Err(StoreError::BadValue(_))));
    assert_eq!(store.parts(&all()).await.unwrap().total, 0);
    let (a, b) = tokio::join!(store.fill_if_empty("Demo", &parts), store.fill_if_empty("Demo", &parts));
    assert_ne!(a.unwrap(), b.unwrap(), "one of them fills");
    assert_eq!(store.parts(&all()).await.unwrap().total, 2);
    let begin = recipe("x");
    let made = (0..6).map(|_| store.create_part("Mine", "x", &begin, None));
    for part in futures_util::future::join_all(made).await {
        part.unwrap();
    }
    let (projects,): (i64,) = sqlx::query_as("SELECT count(*) FROM projects").fetch_one(&pool).await.unwrap();
    assert_eq!(projects, 2);
}

#[sqlx::test(migrations = "./migrations")]
async fn lists_are_paged_and_searched_as_typed(pool: PgPool) {
    let store = Store::on(pool);
    for k in 0..7 {
        store.create_part("Mast", &format!("Cup {k}"), &recipe("c"), None).await.unwrap();
    }
    store.create_part("Odd", "100 % _cup_", &recipe("c"), None).await.unwrap();
    let names = |skip, most, search: &str| {
        let (store, query) = (store.clone(), PartQuery { search: search.into(), removed: false, skip, most });
        async move {
            let page = store.parts(&query).await.unwrap();
            (page.parts.into_iter().map(|p| p.name).collect::<Vec<_>>(), page.total)
        }
    };
    assert_eq!(names(5, 2, "").await, (vec!["Cup 5".to_string(), "Cup 6".to_string()], 8));
    assert_eq!(names(0, 9, "CUP 3").await, (vec!["Cup 3".to_string()], 1));
    // Signs that mean something to the database mean nothing here.
    assert_eq!(names(0, 9, "% _").await, (vec!["100 % _cup_".to_string()], 1));
    assert_eq!(names(0, 9, "odd").await.1, 1);
    assert_eq!(names(90, 9, "").await, (vec![], 8));
}

#[sqlx::test(migrations = "./migrations")]
async fn what_the_rack_shows_is_kept_by_version_and_program(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    let summary = Summary {
        part: id,
        version: 1,
        state: "ready".into(),
        headline: "A watertight solid".into(),
        figures: "1 mL".into(),
    };
    store.keep(&summary, "p1", b"png").await.unwrap();
    assert_eq!(store.summaries(&[id], "p1").await.unwrap(), std::slice::from_ref(&summary));
    assert_eq!(store.picture(id, "p1").await.unwrap().as_deref(), Some(&b"png"[..]));
    assert!(store.summaries(&[id], "p2").await.unwrap().is_empty());
    change(&store, id, 1, "B").await.unwrap();
    assert!(store.summaries(&[id], "p1").await.unwrap().is_empty());
    assert_eq!(store.picture(id, "p1").await.unwrap(), None);
    // One that was being made while the part moved on does not take the place of a newer one.
    let newer = Summary { version: 2, ..summary.clone() };
    store.keep(&newer, "p1", b"new").await.unwrap();
    store.keep(&summary, "p1", b"old").await.unwrap();
    assert_eq!(store.picture(id, "p1").await.unwrap().as_deref(), Some(&b"new"[..]));
}

#[sqlx::test(migrations = "./migrations")]
async fn every_state_of_a_part_can_be_read_again(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    let v2 = change(&store, id, 1, "A").await.unwrap();
    let v3 = change(&store, id, v2, "B").await.unwrap();
    walk(&store, id, v3, true).await.unwrap();
    let log = store.history(id, None, 10).await.unwrap();
    let told: Vec<_> = log.iter().map(|e| (e.entry, e.made_on, e.label.as_str(), e.is_now)).collect();
    assert_eq!(
        told,
        [(2, Some(1), "Rename to B", false), (1, Some(0), "Rename to A", true), (0, None, "Begin", false)]
    );
    assert!(log[0].made_at.ends_with('Z') && log[0].made_at.len() == 24, "{}", log[0].made_at);
    assert_eq!(store.history(id, Some(2), 1).await.unwrap()[0].entry, 1);
    assert_eq!(store.recipe_at(id, 2).await.unwrap()["name"], "B");
    assert!(matches!(store.recipe_at(id, 3).await, Err(StoreError::NoEntry(3))));
    assert!(matches!(store.history(Uuid::new_v4(), None, 1).await, Err(StoreError::NoPart)));
}

#[sqlx::test(migrations = "./migrations")]
async fn a_database_of_a_newer_program_is_told_apart(pool: PgPool) {
    sqlx::query(
        "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (9999, 'later', true, '', 0)",
    )
    .execute(&pool)
    .await
    .unwrap();
    let options = pool.connect_options();
    let base = std::env::var("DATABASE_URL").unwrap();
    let url = format!("{}/{}", base.rsplit_once('/').unwrap().0, options.get_database().unwrap());
    assert!(matches!(Store::open(&url).await, Err(StoreError::NewerSchema)));
    let nobody = "postgres://nobody@127.0.0.1:1/none";
    assert!(matches!(Store::open(nobody).await, Err(StoreError::Unreachable(_) | StoreError::TooSlow)));
}
