//! Files that are written whole or not at all.

use std::io::Write;
use std::path::{Path, PathBuf};

/// Why a file could not be written. Nothing is left behind.
#[derive(Debug, thiserror::Error)]
#[error("{}: {source}", .path.display())]
pub struct WriteFileError {
    /// The file that was to be written.
    pub path: PathBuf,
    /// What the system said.
    pub source: std::io::Error,
}

/// Writes a file beside its place and then moves it there, so that no reader ever sees half of it.
///
/// # Errors
/// [`WriteFileError`] when the folder cannot be written to.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<(), WriteFileError> {
    let failed = |source| WriteFileError { path: path.to_owned(), source };
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    let folder = folder.unwrap_or(Path::new("."));
    let mut file = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
    file.write_all(bytes).map_err(failed)?;
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        // A temporary file is private; a result is an ordinary file.
        let ordinary = std::fs::Permissions::from_mode(0o644);
        file.as_file().set_permissions(ordinary).map_err(failed)?;
    }
    file.persist(path).map_err(|error| failed(error.error))?;
    Ok(())
}
