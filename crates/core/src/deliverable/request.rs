//! What a job asks for, before it is resolved.

use super::planes::File;
use crate::job::{Job, Key, NamedTable, PlacedText, Value};
use crate::precedence::{Case, Chain};
use crate::source::Sourced;

/// What an output is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum OutputKind {
    Sequence,
    Still,
    Movie,
}

impl OutputKind {
    /// What an output is, by its own table: what a table above says of all movies makes none.
    pub(super) fn of(job: &Job, output: &NamedTable) -> Self {
        let setting = |key| {
            let own = output.table.get(key);
            let short = || job.short.then(|| job.project.get(key)).flatten();
            own.or_else(short)
        };
        let direct = setting(Key::MovieDirect)
            .is_some_and(|setting| setting.value.value == Value::Truth(true));
        if direct || setting(Key::MovieFrom).is_some() {
            Self::Movie
        } else if setting(Key::Still).is_some() {
            Self::Still
        } else {
            Self::Sequence
        }
    }
}

/// One output of one shot in one variant, view and preset: what is asked for, with its cameras and the
/// files of each.
#[derive(Debug, Clone)]
pub(super) struct OutputRequest<'j> {
    pub(super) shot_index: usize,
    pub(super) shot: &'j NamedTable,
    pub(super) output_index: usize,
    pub(super) output: &'j NamedTable,
    pub(super) kind: OutputKind,
    pub(super) variant: Option<&'j PlacedText>,
    /// The view of the names.
    pub(super) view: Option<&'j PlacedText>,
    /// The views that each file holds.
    pub(super) views: Vec<Option<&'j PlacedText>>,
    pub(super) preset: Option<Sourced<String>>,
    /// The cameras.
    pub(super) cameras: Vec<Option<&'j PlacedText>>,
    /// The files of each camera.
    pub(super) files: Vec<File<'j>>,
}

impl<'j> OutputRequest<'j> {
    /// The chain of precedence for a pass of it.
    pub(super) fn chain(&self, job: &'j Job, pass: Option<&str>) -> Chain<'j> {
        let case = Case {
            shot: self.shot,
            output: self.output,
            pass,
            variant: PlacedText::text_of(self.variant),
            view: PlacedText::text_of(self.view),
            preset: self.preset.as_ref().map(|preset| preset.value.as_str()),
        };
        Chain::of(job, case)
    }

    /// How many deliverables it asks for.
    pub(super) fn deliverables(&self) -> u64 {
        (self.files.len() * self.cameras.len()) as u64
    }
}

/// The words of a key, or one nothing where nobody sets it.
pub(super) fn listed<'j>(chain: &Chain<'j>, key: Key) -> Vec<Option<&'j PlacedText>> {
    match chain.words(key) {
        Some(words) if !words.is_empty() => words.iter().map(Some).collect(),
        _ => vec![None],
    }
}
