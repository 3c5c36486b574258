//! How a command ends that could not do its work: the one place where errors are reported.

use truepath_runner::load::LoadError;

use crate::error::{CommandError, DONE, FOUND, OUTSIDE, WRONG};
use crate::show::{alert, finding};

impl CommandError {
    /// Reports it on standard error and gives the exit code.
    pub(crate) fn report(&self) -> u8 {
        let code = match self {
            Self::Closed => return DONE,
            Self::NothingForPart(_) => {
                crate::show::remark(&self.to_string());
                return DONE;
            }
            Self::Load(LoadError::Mistakes { sources, findings }) => {
                finding::print_all(&mut anstream::stderr(), sources, findings, false);
                return WRONG;
            }
            Self::Load(LoadError::State { .. }) => OUTSIDE,
            Self::Load(_) | Self::Selection(_) | Self::Usage(_) => WRONG,
            Self::NothingWanted(_) => FOUND,
            Self::Run(_) | Self::Outside { .. } | Self::Limit(_) => OUTSIDE,
        };
        let red = crate::show::ERROR;
        let limit = self.of_system().map(crate::limits::behind);
        let limit = limit.unwrap_or_default();
        alert(&format!("{red}error{red:#}: {self}{limit}"));
        code
    }
}
