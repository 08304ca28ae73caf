//! Files that are written whole or not at all.

use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// Why a file could not be written. Nothing is left behind.
#[derive(Debug, thiserror::Error)]
#[error("{}: {source}", .path.display())]
pub struct WriteFileError {
    /// The file that was to be written.
    pub path: PathBuf,
    /// What the system said.
    pub source: std::io::Error,
}

/// The files that are being written now.
static UNFINISHED: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());

/// A file in that list, for as long as it is written.
struct Listed(PathBuf);

impl Drop for Listed {
    fn drop(&mut self) {
        let mut unfinished = UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner);
        unfinished.retain(|path| *path != self.0);
    }
}

/// Removes what was being written, for a program that is interrupted: then nothing is left behind either.
pub fn abandon_unfinished() {
    let mut unfinished = UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner);
    for path in unfinished.drain(..) {
        // One that is gone is what was wanted.
        let _ = std::fs::remove_file(path);
    }
}

/// A file that is written beside its place, and moved there once it is whole. If that never comes, nothing is
/// left.
///
/// Where a link points is its place; a file that is there already lends its permissions, a new one has those
/// of the umask. What is no ordinary file (a pipe, a device) cannot be replaced and is written as it is.
pub(crate) struct WholeFile {
    path: PathBuf,
    file: Kind,
}

enum Kind {
    Beside { file: BufWriter<tempfile::NamedTempFile>, place: PathBuf, listed: Listed },
    Direct(BufWriter<File>),
}

impl WholeFile {
    pub(crate) fn create(path: &Path) -> Result<Self, WriteFileError> {
        const BUFFER: usize = 1 << 16;
        let failed = |source| WriteFileError { path: path.to_owned(), source };
        // A link that leads nowhere is its own place.
        let place = std::fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
        let there = std::fs::metadata(&place).ok();
        if there.as_ref().is_some_and(|there| !there.is_file() && !there.is_dir()) {
            let file = File::options().write(true).open(&place).map_err(failed)?;
            let file = Kind::Direct(BufWriter::with_capacity(BUFFER, file));
            return Ok(WholeFile { path: path.to_owned(), file });
        }
        let folder = place.parent().filter(|folder| !folder.as_os_str().is_empty());
        let folder = folder.unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            // The umask takes from it.
            builder.permissions(std::fs::Permissions::from_mode(0o666));
        }
        // Held until the file is in the list: an interruption in between finds it there.
        let mut unfinished = UNFINISHED.lock().unwrap_or_else(PoisonError::into_inner);
        let file = builder.tempfile_in(folder).map_err(failed)?;
        let listed = Listed(file.path().to_owned());
        unfinished.push(listed.0.clone());
        drop(unfinished);
        if let Some(there) = there {
            file.as_file().set_permissions(there.permissions()).map_err(failed)?;
        }
        let file = BufWriter::with_capacity(BUFFER, file);
        Ok(WholeFile { path: path.to_owned(), file: Kind::Beside { file, place, listed } })
    }

    /// To its place.
    pub(crate) fn finish(self) -> Result<(), WriteFileError> {
        let WholeFile { path, file } = self;
        let failed = |source| WriteFileError { path: path.clone(), source };
        match file {
            Kind::Beside { file, place, listed } => {
                let file = file.into_inner().map_err(|error| failed(error.into_error()))?;
                file.persist(&place).map_err(|error| failed(error.error))?;
                drop(listed);
                Ok(())
            }
            Kind::Direct(mut file) => file.flush().map_err(failed),
        }
    }
}

impl Write for WholeFile {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        match &mut self.file {
            Kind::Beside { file, .. } => file.write(bytes),
            Kind::Direct(file) => file.write(bytes),
        }
    }

    fn flush(&mut self) -> std::io::Result<()> {
        match &mut self.file {
            Kind::Beside { file, .. } => file.flush(),
            Kind::Direct(file) => file.flush(),
        }
    }
}

impl Seek for WholeFile {
    fn seek(&mut self, to: std::io::SeekFrom) -> std::io::Result<u64> {
        match &mut self.file {
            Kind::Beside { file, .. } => file.seek(to),
            Kind::Direct(file) => file.seek(to),
        }
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
