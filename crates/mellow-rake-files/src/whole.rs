//! Files that are written whole or not at all.

use std::io::{BufWriter, Seek, Write};
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

/// A file that is written beside its place, and moved there once it is whole. If that never comes, nothing is left.
pub(crate) struct WholeFile {
    path: PathBuf,
    file: BufWriter<tempfile::NamedTempFile>,
}

impl WholeFile {
    pub(crate) fn create(path: &Path) -> Result<Self, WriteFileError> {
        let failed = |source| WriteFileError { path: path.to_owned(), source };
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
        let folder = folder.unwrap_or(Path::new("."));
        let file = tempfile::NamedTempFile::new_in(folder).map_err(failed)?;
        Ok(WholeFile { path: path.to_owned(), file: BufWriter::with_capacity(1 << 16, file) })
    }

    /// To its place.
    pub(crate) fn finish(self) -> Result<(), WriteFileError> {
        let WholeFile { path, file } = self;
        let failed = |source| WriteFileError { path: path.clone(), source };
        let file = file.into_inner().map_err(|error| failed(error.into_error()))?;
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // A temporary file is private; a result is an ordinary file.
            let ordinary = std::fs::Permissions::from_mode(0o644);
            file.as_file().set_permissions(ordinary).map_err(failed)?;
        }
        file.persist(&path).map_err(|error| failed(error.error))?;
        Ok(())
    }
}

impl Write for WholeFile {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.file.flush()
    }
}

impl Seek for WholeFile {
    fn seek(&mut self, to: std::io::SeekFrom) -> std::io::Result<u64> {
        self.file.seek(to)
    }
}

/// Writes a file beside its place and then moves it there, so that no reader ever sees half of it.
///
/// # Errors
/// [`WriteFileError`] when the folder cannot be written to.
pub fn write_whole(path: &Path, bytes: &[u8]) -> Result<(), WriteFileError> {
    let mut file = WholeFile::create(path)?;
    file.write_all(bytes).map_err(|source| WriteFileError { path: path.to_owned(), source })?;
    file.finish()
}
