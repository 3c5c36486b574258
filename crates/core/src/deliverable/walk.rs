//! Walks through a job, and lists what it asks for.

use super::planes::{File, files, layers};
use super::request::{OutputKind, OutputRequest, listed};
use super::{Expansion, ProblemKind, Selection};
use crate::job::{Job, Key, NamedTable, PlacedText};
use crate::nearest::nearest;
use crate::precedence::{Case, Chain};

/// All that a job asks for of one shot, in the order of the job; what names nothing is reported.
pub(super) fn requests<'j>(
    job: &'j Job,
    selection: &Selection,
    (shot_index, shot): (usize, &'j NamedTable),
    expansion: &mut Expansion,
) -> Vec<OutputRequest<'j>> {
    let mut walk = Walk {
        job,
        selection,
        expansion,
        requests: Vec::new(),
    };
    for (output_index, output) in job.outputs.iter().enumerate() {
        if Selection::takes(&selection.outputs, Some(&output.name)) {
            walk.variants(&OutputRequest {
                shot_index,
                shot,
                output_index,
                output,
                kind: OutputKind::of(job, output),
                variant: None,
                view: None,
                views: Vec::new(),
                preset: None,
                cameras: Vec::new(),
                files: Vec::new(),
            });
        }
    }
    walk.requests
}

struct Walk<'j, 'w> {
    job: &'j Job,
    selection: &'w Selection,
    expansion: &'w mut Expansion,
    requests: Vec<OutputRequest<'j>>,
}

impl<'j> Walk<'j, '_> {
    fn variants(&mut self, output: &OutputRequest<'j>) {
        let base = Chain::of(self.job, Case::of(output.shot, output.output));
        for variant in listed(&base, Key::Variants) {
            let is_selected =
                Selection::takes(&self.selection.variants, PlacedText::text_of(variant));
            if is_selected && self.declared("variant", &self.job.variants, variant) {
                self.views(&OutputRequest {
                    variant,
                    ..output.clone()
                });
            }
        }
    }

    /// Each view by itself, or one file of them all, which is none of them.
    fn views(&mut self, variant: &OutputRequest<'j>) {
        let chain = variant.chain(self.job, None);
        let views = listed(&chain, Key::Views);
        for view in &views {
            self.declared("view", &self.job.views, *view);
        }
        let together = chain.value(Key::ViewsTogether) == Some(true);
        let rounds = if together { vec![None] } else { views.clone() };
        for view in rounds {
            let held = if together { views.clone() } else { vec![view] };
            let is_selected = |view: &Option<&PlacedText>| {
                Selection::takes(&self.selection.views, PlacedText::text_of(*view))
            };
            let is_known = |view: &Option<&PlacedText>| {
                view.is_none_or(|word| self.job.views.iter().any(|one| one.name == word.text))
            };
            if held.iter().any(is_selected) && held.iter().all(is_known) {
                self.preset(OutputRequest {
                    view,
                    views: held,
                    ..variant.clone()
                });
            }
        }
    }

    fn preset(&mut self, mut request: OutputRequest<'j>) {
        request.preset = request.chain(self.job, None).get(Key::Preset);
        if let Some(preset) = &request.preset {
            let word = PlacedText {
                text: preset.value.clone(),
                place: preset.place.clone(),
            };
            if !self.declared("preset", &self.job.presets, Some(&word)) {
                return;
            }
        }
        let chain = request.chain(self.job, None);
        if chain.value(Key::Enabled) == Some(false) {
            return;
        }
        request.cameras = listed(&chain, Key::Camera);
        request.files = match request.kind {
            OutputKind::Movie => listed(&chain, Key::MoviePass)
                .into_iter()
                .map(File::of_pass)
                .collect(),
            OutputKind::Sequence | OutputKind::Still => {
                let passes = listed(&chain, Key::Passes);
                self.check_layers(&chain, &passes);
                files(&chain, &passes)
            }
        };
        self.requests.push(request);
    }

    /// Reports a pass that a file names and the list of passes does not have.
    fn check_layers(&mut self, chain: &Chain<'j>, passes: &[Option<&'j PlacedText>]) {
        if passes.contains(&None) {
            return;
        }
        let names: Vec<&str> = passes
            .iter()
            .filter_map(|pass| PlacedText::text_of(*pass))
            .collect();
        for word in layers(chain).iter().flat_map(|(_, passes)| passes) {
            if !names.contains(&word.text.as_str()) {
                let kind =
                    ProblemKind::unknown_name("pass in the list of passes", &word.text, &names);
                self.expansion.report(kind, word.place.clone(), 1);
            }
        }
    }

    /// Whether a name is that of a table; one that is not is reported.
    fn declared(
        &mut self,
        kind: &'static str,
        tables: &[NamedTable],
        word: Option<&PlacedText>,
    ) -> bool {
        let Some(word) = word else { return true };
        if tables.iter().any(|table| table.name == word.text) {
            return true;
        }
        let names: Vec<&str> = tables.iter().map(|table| table.name.as_str()).collect();
        let near = nearest(&word.text, names.iter().copied()).map(str::to_owned);
        let advice = match &near {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("declare it: [{kind}.{}]", word.text),
        };
        let problem = ProblemKind::Undeclared {
            kind,
            name: word.text.clone(),
            advice,
            near,
        };
        self.expansion.report(problem, word.place.clone(), 1);
        false
    }
}
