//! Values of environment variables are recorded as keyed hashes: a record shows that a value is another one, and not what
//! it was. The key belongs to the state folder, and is the same for all machines.

use std::hash::{BuildHasher, RandomState};
use std::io;

use truepath_media::read_text;

use super::state_folder::StateFolder;
use crate::disk::{Disk, rename, unique_beside, write_new};

/// What made a picture, by name: settings, variables, the hashes of scene and needed files.
pub(crate) type InputValues = Vec<(String, String)>;

/// What the name of a variable begins with among the inputs of a picture.
pub(crate) const VARIABLE: &str = "env.";
/// So many hexadecimal digits of a hash tell values apart.
const DIGITS: usize = 16;

/// What made a picture, as it is recorded.
pub(crate) fn as_recorded(mut inputs: InputValues, state: &StateFolder) -> InputValues {
    let mut variables = inputs
        .iter_mut()
        .filter(|(name, _)| name.starts_with(VARIABLE))
        .peekable();
    if variables.peek().is_some() {
        let key = ValueKey::read(state);
        for (name, value) in variables {
            // Without a key nothing was recorded that it could be compared with.
            *value = key
                .as_ref()
                .map_or_else(String::new, |key| key.hash(name, value));
        }
    }
    inputs
}

/// The key of a state folder.
struct ValueKey([u8; 32]);

impl ValueKey {
    /// That of a state folder; none where no run has made one.
    fn read(state: &StateFolder) -> Option<Self> {
        let text = read_text(&state.value_key()).ok()?;
        let hash = blake3::Hash::from_hex(text.trim()).ok()?;
        Some(Self(*hash.as_bytes()))
    }

    /// What is recorded of a value.
    fn hash(&self, name: &str, value: &str) -> String {
        let mut hasher = blake3::Hasher::new_keyed(&self.0);
        hasher
            .update(name.as_bytes())
            .update(b"=")
            .update(value.as_bytes());
        hasher.finalize().to_hex()[..DIGITS].to_owned()
    }
}

/// Makes the key of a state folder where it has none.
pub(crate) fn make_value_key(state: &StateFolder, disk: &dyn Disk) -> io::Result<()> {
    let path = state.value_key();
    if path.exists() {
        return Ok(());
    }
    // The states of such hashers are made of chance by the system.
    let mut hasher = blake3::Hasher::new();
    for number in 0..4_u8 {
        hasher.update(&RandomState::new().hash_one(number).to_le_bytes());
    }
    let new = unique_beside(&path);
    write_new(
        disk,
        &new,
        format!("{}\n", hasher.finalize().to_hex()).as_bytes(),
    )?;
    match rename(disk, &new, &path) {
        // Another run was first: its key is that of all.
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => disk.remove_file(&new),
        renamed => renamed,
    }
}
