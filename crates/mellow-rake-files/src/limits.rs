//! How much of a file is taken in.

use std::fs::File;
use std::io::{self, Read};
use std::path::Path;

/// Bytes of a spec, a plan or a file of coefficients at most.
pub const MOST_BYTES_OF_A_SPEC: u64 = 16 << 20;
/// Bytes at most of what is read whole: a recording in JSON, or one that comes through a pipe.
pub const MOST_BYTES_IN_MEMORY: u64 = 256 << 20;
/// Bytes of a line of text at most, a field in quotes with line breaks in it counted as one line.
pub const MOST_BYTES_OF_A_LINE: u64 = 4 << 20;
/// Columns of a text at most.
pub const MOST_COLUMNS: usize = 65_536;
/// Bytes of a field of text at most, and so of a name.
pub const MOST_BYTES_OF_A_FIELD: usize = 1_000;

/// Reads a file that is to be small.
///
/// # Errors
/// That of the system; or, of kind `FileTooLarge`, that there is more than so many bytes.
///
/// ```
/// let path = std::env::temp_dir().join("mellow_rake_small.toml");
/// std::fs::write(&path, "name = 1")?;
/// assert_eq!(mellow_rake_files::read_whole(&path, 8)?, b"name = 1");
/// let error = mellow_rake_files::read_whole(&path, 7).unwrap_err();
/// assert_eq!(error.to_string(), "more than 7 bytes; nothing of this kind is as long");
/// # std::fs::remove_file(&path)?;
/// # Ok::<(), std::io::Error>(())
/// ```
pub fn read_whole(path: &Path, most: u64) -> io::Result<Vec<u8>> {
    all_of(File::open(path)?, most)
}

/// Everything up to the end, at most so many bytes.
pub(crate) fn all_of(input: impl Read, most: u64) -> io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    input.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most {
        let what = format!("more than {most} bytes; nothing of this kind is as long");
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, what));
    }
    Ok(bytes)
}

/// Names in a message: the first dozen, each as far as it is read at a glance, and how many more there are.
pub(crate) fn listed(names: &[String]) -> String {
    let mut shown: Vec<String> = names.iter().take(12).map(|name| shortened(name, 40)).collect();
    if names.len() > shown.len() {
        shown.push(format!("and {} more", names.len() - shown.len()));
    }
    shown.join(", ")
}

/// The beginning of a text.
pub(crate) fn shortened(text: &str, most: usize) -> String {
    match text.char_indices().nth(most) {
        Some((end, _)) => format!("{}...", &text[..end]),
        None => text.to_owned(),
    }
}

/// Where a byte stands within a line of text.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    LineStart,
    FieldStart,
    Field,
    Quoted,
    /// Behind a quote within quotes: the end of them, or the first of two.
    Closed,
    Comment,
}

/// Text that is read on, with an error in the place of a line that does not end: the reader behind it keeps
/// a line in memory. Every line ends in a line feed alone, the last one too, so that lines can be counted by
/// them: carriage returns outside of quotes become line feeds, and take one that follows with them.
pub(crate) struct Lines<R> {
    inner: R,
    delimiter: u8,
    place: Place,
    bytes: u64,
    is_returned: bool,
}

impl<R> Lines<R> {
    pub(crate) fn new(inner: R, delimiter: u8) -> Self {
        Lines { inner, delimiter, place: Place::LineStart, bytes: 0, is_returned: false }
    }

    /// The place behind a byte.
    fn behind(&self, byte: u8) -> Place {
        match (self.place, byte) {
            (Place::Quoted, b'"') => Place::Closed,
            (Place::Quoted, _) => Place::Quoted,
            (_, b'\n') => Place::LineStart,
            (Place::Comment, _) => Place::Comment,
            (Place::LineStart, b'#') => Place::Comment,
            (Place::LineStart | Place::FieldStart | Place::Closed, b'"') => Place::Quoted,
            (_, byte) if byte == self.delimiter => Place::FieldStart,
            _ => Place::Field,
        }
    }
}

fn too_long() -> io::Error {
    let what = format!(
        "a line of more than {MOST_BYTES_OF_A_LINE} bytes (is there a quote that is not closed?)"
    );
    io::Error::new(io::ErrorKind::FileTooLarge, what)
}

impl<R: Read> Read for Lines<R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        loop {
            let count = self.inner.read(buffer)?;
            if count == 0 {
                let is_open = !matches!(self.place, Place::LineStart | Place::Quoted);
                let Some(first) = buffer.first_mut().filter(|_| is_open) else { return Ok(0) };
                (*first, self.place) = (b'\n', Place::LineStart);
                return Ok(1);
            }
            let mut kept = 0;
            for at in 0..count {
                let mut byte = buffer[at];
                if std::mem::take(&mut self.is_returned) && byte == b'\n' {
                    continue;
                }
                if byte == b'\r' && self.place != Place::Quoted {
                    (byte, self.is_returned) = (b'\n', true);
                }
                buffer[kept] = byte;
                kept += 1;
                self.place = self.behind(byte);
                self.bytes = if self.place == Place::LineStart { 0 } else { self.bytes + 1 };
                if self.bytes > MOST_BYTES_OF_A_LINE {
                    return Err(too_long());
                }
            }
            // Nothing at all would mean the end.
            if kept > 0 {
                return Ok(kept);
            }
        }
    }
}

impl<R: io::Seek> io::Seek for Lines<R> {
    /// To the start of a line.
    fn seek(&mut self, to: io::SeekFrom) -> io::Result<u64> {
        (self.place, self.bytes, self.is_returned) = (Place::LineStart, 0, false);
        self.inner.seek(to)
    }
}

/// Bytes that are free in the folder of a file that is to be written, where the system says it.
pub(crate) fn free_beside(path: &Path) -> Option<u64> {
    let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty());
    #[cfg(unix)]
    {
        let found = rustix::fs::statvfs(folder.unwrap_or(Path::new("."))).ok()?;
        Some(found.f_bavail.saturating_mul(found.f_frsize))
    }
    #[cfg(not(unix))]
    {
        let _ = folder;
        None
    }
}
