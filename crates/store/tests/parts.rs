//! The edit log on a real PostgreSQL: `DATABASE_URL` names a server where test databases can be made.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test fails by panicking")]

use serde_json::{Value, json};
use sqlx::PgPool;
use store::{Store, StoreError};

fn recipe(name: &str) -> Value {
    json!({"name": name, "steps": []})
}

async fn change(store: &Store, id: uuid::Uuid, version: i64, name: &str) -> Result<i64, StoreError> {
    let recipe = recipe(name);
    store
        .append(id, version, &format!("Rename to {name}"), &json!({"edit": "rename_part"}), &recipe, name)
        .await
}

async fn new_part(store: &Store) -> uuid::Uuid {
    let project = store.project("Weather mast").await.unwrap();
    store.create_part(project, "Begin", &recipe("Begin")).await.unwrap()
}

#[sqlx::test(migrations = "./migrations")]
async fn undo_and_redo_walk_the_log_and_lose_nothing(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    let v2 = change(&store, id, 1, "A").await.unwrap();
    let v3 = change(&store, id, v2, "B").await.unwrap();
    let v4 = store.step_history(id, v3, true).await.unwrap();
    let part = store.part(id).await.unwrap();
    assert_eq!((part.name.as_str(), part.recipe["name"].as_str()), ("A", Some("A")));
    assert_eq!((part.undo.as_deref(), part.redo.as_deref()), (Some("Rename to A"), Some("Rename to B")));
    let v5 = store.step_history(id, v4, false).await.unwrap();
    assert_eq!(store.part(id).await.unwrap().name, "B");
    assert!(v5 > v4 && v4 > v3, "versions only move on");
    // A new edit after an undo leads the redo, and the old branch stays in the log.
    let v6 = store.step_history(id, v5, true).await.unwrap();
    let v7 = change(&store, id, v6, "C").await.unwrap();
    let v8 = store.step_history(id, v7, true).await.unwrap();
    store.step_history(id, v8, false).await.unwrap();
    assert_eq!(store.part(id).await.unwrap().name, "C");
}

#[sqlx::test(migrations = "./migrations")]
async fn undo_ends_at_the_beginning_and_redo_at_the_newest(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    assert!(matches!(store.step_history(id, 1, true).await, Err(StoreError::NoMore("undo"))));
    assert!(matches!(store.step_history(id, 1, false).await, Err(StoreError::NoMore("redo"))));
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
async fn every_process_hears_of_a_change(pool: PgPool) {
    let store = Store::on(pool);
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
        if let Ok(change) = hear.try_recv() {
            assert_eq!(change.part, id);
            assert!(change.version <= version);
            listener.abort();
            return;
        }
    }
    panic!("nothing was heard");
}

#[sqlx::test(migrations = "./migrations")]
async fn a_removed_part_is_off_the_rack_and_can_come_back(pool: PgPool) {
    let store = Store::on(pool);
    let id = new_part(&store).await;
    store.set_removed(id, true).await.unwrap();
    assert!(store.parts().await.unwrap().is_empty());
    assert!(store.has_parts().await.unwrap());
    assert!(matches!(store.part(id).await, Err(StoreError::NoPart)));
    assert!(matches!(change(&store, id, 1, "A").await, Err(StoreError::NoPart)));
    store.set_removed(id, false).await.unwrap();
    assert_eq!(store.parts().await.unwrap().len(), 1);
    assert!(matches!(store.set_removed(uuid::Uuid::new_v4(), true).await, Err(StoreError::NoPart)));
}
