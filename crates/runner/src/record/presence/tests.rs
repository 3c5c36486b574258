use std::fs;
use std::time::Duration;

use super::*;
use crate::disk::RealDisk;
use crate::record::state_folder::StateFolder;
use crate::sample::names;

const LONG: Duration = Duration::from_secs(3600);

struct Place {
    _folder: tempfile::TempDir,
    state: StateFolder,
}

fn place() -> Place {
    let folder = tempfile::tempdir().unwrap();
    let state = StateFolder::new(folder.path().to_owned());
    fs::create_dir_all(state.sessions()).unwrap();
    Place {
        _folder: folder,
        state,
    }
}

impl Place {
    fn seen_within(&self, dead_after: Duration) -> Sessions {
        Sessions::of(&self.state, dead_after)
    }

    /// What a run on another machine has written of itself.
    fn elsewhere(&self, number: u32) {
        let mut card = card("truepath.toml", "plan".to_owned(), Some(2), Vec::new());
        card.host = "render-7 an-earlier-start".to_owned();
        let text = serde_json::to_vec(&card).unwrap();
        fs::write(self.state.session(number), text).unwrap();
    }

    fn beat(&self, number: u32, count: u32) {
        fs::write(self.state.heartbeat(number), format!("{count:020}\n")).unwrap();
    }
}

#[test]
fn a_run_of_this_machine_lives_for_as_long_as_it_holds_its_lock() {
    let place = place();
    let sessions = place.seen_within(LONG);
    assert_eq!(sessions.state(1).unwrap(), State::Ended);
    let card = card("truepath.toml", "plan".to_owned(), Some(2), Vec::new());
    let presence = Presence::begin(&RealDisk, &sessions, 1, &card).unwrap();
    assert!(presence.stands());
    assert_eq!(sessions.state(1).unwrap(), State::Live(card.clone()));
    assert!(!sessions.is_undecided(1).unwrap());
    assert!(!sessions.is_elsewhere(1).unwrap());
    presence.end(&RealDisk).unwrap();
    assert_eq!(sessions.state(1).unwrap(), State::Ended);
    assert!(names(&place.state.sessions()).is_empty());

    // One that is gone without an end is dead, and its file says so.
    drop(Presence::begin(&RealDisk, &sessions, 2, &card).unwrap());
    assert_eq!(sessions.state(2).unwrap(), State::Dead);
}

#[test]
fn a_run_that_is_fenced_off_knows_it_and_cannot_come_back() {
    let place = place();
    let sessions = place.seen_within(LONG);
    let card = card("truepath.toml", "plan".to_owned(), Some(2), Vec::new());
    let presence = Presence::begin(&RealDisk, &sessions, 1, &card).unwrap();
    sessions.fence(&RealDisk, 1).unwrap();
    assert!(!presence.stands());
    assert_eq!(sessions.state(1).unwrap(), State::Dead);
    // Twice is as good as once.
    sessions.fence(&RealDisk, 1).unwrap();
    assert_eq!(sessions.state(1).unwrap(), State::Dead);
    drop(presence);
    sessions.mark_recovered(&RealDisk, 1).unwrap();
    assert_eq!(sessions.state(1).unwrap(), State::Ended);
}

#[test]
fn a_run_elsewhere_is_judged_by_its_counter() {
    let place = place();
    place.elsewhere(3);
    place.beat(3, 1);
    let patient = place.seen_within(LONG);
    assert!(matches!(patient.state(3).unwrap(), State::Live(_)));
    assert!(patient.is_elsewhere(3).unwrap());
    // Seen once, it may have died long ago.
    assert!(patient.is_undecided(3).unwrap());
    place.beat(3, 2);
    assert!(!patient.is_undecided(3).unwrap());
    // What was seen before does not count for who looks anew.
    patient.look_anew();
    assert!(patient.is_undecided(3).unwrap());
    place.beat(3, 3);
    assert!(!patient.is_undecided(3).unwrap());

    // Who has no patience takes a counter that stands still for dead, and one that goes on for alive.
    let impatient = place.seen_within(Duration::ZERO);
    assert_eq!(impatient.state(3).unwrap(), State::Dead);
}

#[test]
fn what_cannot_be_read_of_a_run_counts_as_dead_and_elsewhere() {
    let place = place();
    let sessions = place.seen_within(LONG);
    fs::write(place.state.session(4), "{ torn").unwrap();
    assert_eq!(sessions.state(4).unwrap(), State::Dead);
    // Somebody on another machine may still write: its files are copied before they are used.
    assert!(sessions.is_elsewhere(4).unwrap());
    assert!(!sessions.is_elsewhere(5).unwrap());
}

#[test]
fn what_is_half_written_is_known_by_its_number_too() {
    let place = place();
    let half = place.state.sessions().join(".0007.00ff00ff00ff00ff.new");
    fs::write(&half, "{").unwrap();
    let sessions = place.seen_within(LONG);
    assert_eq!(sessions.state(7).unwrap(), State::Ended);
    sessions.clear(&RealDisk, &|number| number == 7).unwrap();
    assert!(!half.exists());
}

#[test]
fn only_what_is_over_is_cleared() {
    let place = place();
    let sessions = place.seen_within(LONG);
    for number in [1, 2] {
        place.elsewhere(number);
        place.beat(number, 1);
    }
    fs::write(place.state.sessions().join("notes.txt"), "mine").unwrap();
    sessions.clear(&RealDisk, &|number| number == 1).unwrap();
    assert_eq!(sessions.state(1).unwrap(), State::Ended);
    assert!(matches!(sessions.state(2).unwrap(), State::Live(_)));
    assert!(place.state.sessions().join("notes.txt").exists());
    assert!(!place.state.heartbeat(1).exists());
}
