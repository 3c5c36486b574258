//! Which planes share a file.

use std::sync::Arc;

use crate::job::{Key, PlacedText, Value};
use crate::precedence::Chain;

/// A picture of a file: one pass of one view.
#[derive(Debug, Clone, PartialEq)]
pub struct Plane {
    /// The pass, when one is asked for by name.
    pub pass: Option<PlacedText>,
    /// The view.
    pub view: Option<PlacedText>,
}

/// A file of an output: what `{pass}` says of it, and its passes.
#[derive(Debug, Clone)]
pub(super) struct File<'j> {
    pub(super) name: Option<&'j PlacedText>,
    pub(super) passes: Vec<Option<&'j PlacedText>>,
}

impl<'j> File<'j> {
    /// A file of one pass, which is its name.
    pub(super) fn of_pass(pass: Option<&'j PlacedText>) -> Self {
        Self {
            name: pass,
            passes: vec![pass],
        }
    }

    /// Its planes, for the views that it holds.
    pub(super) fn planes(&self, views: &[Option<&PlacedText>]) -> Arc<[Plane]> {
        let planes = self.passes.iter().flat_map(|pass| {
            views.iter().map(|view| Plane {
                pass: pass.cloned(),
                view: view.cloned(),
            })
        });
        planes.collect()
    }
}

/// The files of an output's passes, in the order of the passes.
pub(super) fn files<'j>(chain: &Chain<'j>, passes: &[Option<&'j PlacedText>]) -> Vec<File<'j>> {
    let layers = layers(chain);
    // Where no passes are listed, the files list them.
    let listed: Vec<Option<&PlacedText>> = match passes {
        [None] if !layers.is_empty() => layers
            .iter()
            .flat_map(|(_, passes)| passes.iter().map(Some))
            .collect(),
        passes => passes.to_vec(),
    };
    let mut files: Vec<File<'j>> = Vec::new();
    for pass in listed {
        let file = layers.iter().find(|(_, passes)| {
            pass.is_some_and(|pass| passes.iter().any(|one| one.text == pass.text))
        });
        match file {
            None => files.push(File::of_pass(pass)),
            Some((name, _)) => {
                let known = files
                    .iter_mut()
                    .find(|known| known.name.is_some_and(|known| std::ptr::eq(known, name)));
                match known {
                    Some(known) => known.passes.push(pass),
                    None => files.push(File {
                        name: Some(name),
                        passes: vec![pass],
                    }),
                }
            }
        }
    }
    files
}

/// `layers = { light = ["beauty", "shadow"] }`
pub(super) fn layers<'j>(chain: &Chain<'j>) -> &'j [(PlacedText, Vec<PlacedText>)] {
    match chain
        .setting(Key::Layers)
        .map(|setting| &setting.value.value)
    {
        Some(Value::Layers(files)) => files,
        _ => &[],
    }
}
