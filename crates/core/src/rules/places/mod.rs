//! Places and disks. A new rule is a file here, and a line in the list.

mod among_scene_files;
mod among_scenes;
mod disk_space;
mod existing_files;
mod link_leads_out;
mod no_hard_links;
mod outside_place;
mod own_folders;
mod personal_folder;
mod place_elsewhere;
mod place_missing;
mod place_not_writable;
mod same_folder;
mod this_system_only;

use super::{Rule, Subject};
use crate::deliverable::Deliverable;
use crate::finding::{Finding, count};

/// Reports what is wrong with the folders that paths start from, each once; `more` says what that
/// does to so many files, and what to do.
fn report(
    rule: &Rule,
    subject: &Subject<'_>,
    sentence: &str,
    wrong: fn(&Subject<'_>, &Deliverable) -> Option<String>,
    more: impl Fn(Finding, String) -> Finding,
) -> Vec<Finding> {
    subject
        .once_by(|one| Some((&one.root, wrong(subject, one)?)))
        .into_iter()
        .map(|(one, label, files)| {
            let finding = rule
                .finding(sentence)
                .at(&subject.place_of_root(one), label);
            more(finding, count(files, "file", "files"))
        })
        .collect()
}

/// In the order of the codes.
pub(super) const RULES: &[&Rule] = &[
    &outside_place::RULE,
    &place_elsewhere::RULE,
    &place_missing::RULE,
    &place_not_writable::RULE,
    &same_folder::RULE,
    &link_leads_out::RULE,
    &personal_folder::RULE,
    &this_system_only::RULE,
    &among_scenes::RULE,
    &existing_files::RULE,
    &disk_space::RULE,
    &among_scene_files::RULE,
    &own_folders::RULE,
    &no_hard_links::RULE,
];
