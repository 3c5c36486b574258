//! The commands as `truepath --help` shows them: in groups, those of every day first.

use clap::builder::styling::Styles;
use clap::{Command, CommandFactory};

/// What people want to do, and the commands for it.
const GROUPS: [(&str, &[&str]); 6] = [
    (
        "Every day",
        &[
            "new", "adopt", "check", "run", "status", "audit", "show", "why",
        ],
    ),
    (
        "Names and engines",
        &["overview", "paths", "tokens", "match", "engines"],
    ),
    (
        "Rendering",
        &["queue", "commands", "pack", "gather", "times"],
    ),
    (
        "Pictures",
        &["sheet", "compare", "report", "movie", "passes"],
    ),
    ("Files", &["scan", "rename", "manifest", "clean"]),
    (
        "This program",
        &["demo", "rules", "completions", "man", "schema"],
    ),
];

/// The whole command line, with its help in groups.
pub(crate) fn grouped<Line: CommandFactory>() -> Command {
    let command = Line::command();
    let style = *Styles::styled().get_header();
    let literal = *Styles::styled().get_literal();
    let mut groups = String::new();
    for (title, names) in GROUPS {
        groups.push_str(&format!("{style}{title}:{style:#}\n"));
        for name in names {
            // A command may be left out of a build.
            if let Some(one) = command.find_subcommand(name) {
                let about = one.get_about().map(ToString::to_string).unwrap_or_default();
                groups.push_str(&format!("  {literal}{name:<12}{literal:#} {about}\n"));
            }
        }
        groups.push('\n');
    }
    command.help_template(format!(
        "{{about-section}}\n{{usage-heading}} {{usage}}\n\n{groups}{style}Options:{style:#}\n{{options}}{{after-help}}"
    ))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_command_that_is_shown_is_in_one_group() {
        let command = crate::command_line();
        let shown = command.get_subcommands().filter(|one| !one.is_hide_set());
        let mut shown: Vec<&str> = shown.map(Command::get_name).collect();
        let mut grouped: Vec<&str> = GROUPS
            .iter()
            .flat_map(|(_, names)| names.iter().copied())
            .filter(|name| *name != "movie" || cfg!(feature = "movies"))
            .collect();
        for name in &shown {
            let about = command.find_subcommand(name).and_then(Command::get_about);
            let about = about.map(ToString::to_string).unwrap_or_default();
            assert!(
                about.chars().count() <= 65,
                "{name}: it does not fit into 80 columns"
            );
        }
        shown.sort_unstable();
        grouped.sort_unstable();
        assert_eq!(shown, grouped);
    }
}
