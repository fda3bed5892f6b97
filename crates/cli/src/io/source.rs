//! Sources: files, gzip files and standard input, read as often as needed, in samples and in blocks.

use crate::failure::{Failure, Result};
use crate::interrupt;
use crate::io::attended::Attended;
use crate::io::disk::{self, File};
use crate::io::identity::Identity;
use crate::io::web::{self, Answer, Version};
use crate::progress::Progress;
use flate2::read::MultiGzDecoder;
use incola_core::settings::docket::{Docket, Request};
use incola_core::survey::MOST_RECORD_BYTES;
use incola_engine::feed::{self, Doing, Feed, HEAD_BYTES, RawSamples, SAMPLE_BYTES, Watch, outside};
pub(crate) use incola_engine::link::is_address;
use std::io::{self, Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

/// A source that can be read more than once.
#[derive(Debug)]
pub(crate) struct Source {
    /// As it was typed; `-` for standard input.
    pub(crate) name: String,
    /// Name of the file without its ending.
    pub(crate) stem: String,
    path: PathBuf,
    /// `None`: it is opened when it is read, and must be the file that it was.
    file: Option<File>,
    stood: Option<Identity>,
    gzip: bool,
    /// Whether it can be found and read again.
    is_linkable: bool,
    /// What a server says of its version.
    version: Version,
}

impl Source {
    /// Opens a source: a path, or `-` for standard input, which is first written to an unnamed file in `spool_folder`.
    pub(crate) fn open(name: &str, spool_folder: &Path) -> Result<Self> {
        Self::open_with(name, None, spool_folder)
    }

    /// The same; a docket says how an address is asked.
    ///
    /// # Errors
    /// Those of [`Self::open`].
    pub(crate) fn open_with(name: &str, docket: Option<&Docket>, spool_folder: &Path) -> Result<Self> {
        if name == "-" {
            return Self::spool(spool_folder);
        }
        if is_address(name) {
            let request = docket.map(|docket| docket.request.clone()).unwrap_or_default();
            let answer = Self::fetch(name, &request, &Version::default(), spool_folder)?;
            return answer.ok_or_else(|| Failure::unreadable(format!("{name}: the answer is empty")));
        }
        let path = PathBuf::from(name);
        let failed = |error: &io::Error| Failure::io(&path, "read it", error);
        let about = disk::metadata(&path).map_err(|error| {
            failed(&error).help("check the name; the path is taken from the folder you are in")
        })?;
        if about.is_dir() {
            return Err(Failure::unreadable(format!("{name}: it is a folder, not a text file")).help(
                format!(
                    "name the files in it: incola inspect {}",
                    crate::render::command::quoted(&format!("{name}/*"))
                ),
            ));
        }
        let mut file = File::open(&path).map_err(|error| failed(&error))?;
        let mut magic = [0; 2];
        let gzip = file.read(&mut magic).map_err(|error| failed(&error))? == 2 && magic == [0x1F, 0x8B];
        let mut stem = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        if gzip {
            // `calls.csv.gz` is `calls`.
            stem = Path::new(&stem).file_stem().map_or(stem.clone(), |s| s.to_string_lossy().into_owned());
        }
        if !about.is_file() && !gzip {
            // A pipe or a device cannot be read twice.
            file = spooled(io::Cursor::new(magic).chain(file), spool_folder, name)?;
        }
        let is_linkable = about.is_file();
        let version = Version::default();
        let stood = if is_linkable { Identity::of_open(&file).ok() } else { None };
        Ok(Self { name: name.to_owned(), stem, path, file: Some(file), stood, gzip, is_linkable, version })
    }

    /// Asks for an address and keeps what comes in an unnamed file in `spool_folder`; `None`: it is of the version that is known.
    pub(crate) fn fetch(
        address: &str,
        request: &Request,
        known: &Version,
        spool_folder: &Path,
    ) -> Result<Option<Self>> {
        let Answer::New(body, version) = web::get(address, request, known)? else { return Ok(None) };
        let mut file = spooled(body, spool_folder, address)?;
        let failed = |e: io::Error| Failure::io(spool_folder, "keep what was read", &e);
        if web::is_too_large(file.metadata().map_err(failed)?.len()) {
            return Err(web::too_large(address));
        }
        let mut magic = [0; 2];
        let gzip = file.read(&mut magic).map_err(failed)? == 2 && magic == [0x1F, 0x8B];
        let name = web::file_name(address).to_owned();
        let stem = Path::new(name.strip_suffix(".gz").unwrap_or(&name)).file_stem();
        let stem = stem.map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        let path = PathBuf::from(address);
        let (file, stood) = (Some(file), None);
        Ok(Some(Self { name: address.to_owned(), stem, path, file, stood, gzip, is_linkable: true, version }))
    }

    /// Whether it can be found and read again: what came by standard input or a pipe cannot.
    pub(crate) fn is_linkable(&self) -> bool {
        self.is_linkable
    }

    /// What the disk knows of the file that is open.
    pub(crate) fn about(&self) -> io::Result<std::fs::Metadata> {
        self.file.as_ref().map_or_else(|| disk::metadata(&self.path), File::metadata)
    }

    /// Closes the file, where it can be opened again: a thousand sources need not be open at once.
    pub(crate) fn close(&mut self) {
        if self.stood.is_some() {
            self.file = None;
        }
    }

    /// The file.
    fn handle(&self) -> Result<Handle<'_>> {
        if let Some(file) = &self.file {
            return Ok(Handle::Kept(file));
        }
        let file = File::open(&self.path).map_err(|error| self.failed(&error))?;
        let now = Identity::of_open(&file).map_err(|error| self.failed(&error))?;
        if Some(now) != self.stood {
            return Err(self.changed());
        }
        Ok(Handle::Own(file))
    }

    fn changed(&self) -> Failure {
        Failure::protected(format!("{}: it was changed while it was read", self.path.display()))
            .leaving("nothing was written")
            .help("wait until the other program has finished writing it, then do this again")
    }

    /// What a server says of its version.
    pub(crate) fn version(&self) -> &Version {
        &self.version
    }

    /// Its bytes as they came, compressed or not: how many, and their XXH3. They are those that were read since it was opened: what was
    /// written behind them since would count as known, though nobody has read it.
    pub(crate) fn digest(&self) -> Result<(u64, u64)> {
        let mut file = self.handle()?;
        file.seek(SeekFrom::Start(0)).map_err(|error| self.failed(&error))?;
        let mut hasher = xxhash_rust::xxh3::Xxh3::new();
        let (mut buffer, mut bytes) = (vec![0; 1 << 20], 0);
        loop {
            match file.read(&mut buffer).map_err(|error| self.failed(&error))? {
                0 => break,
                read => {
                    hasher.update(&buffer[..read]);
                    bytes += read as u64;
                }
            }
        }
        self.check_same(&file)?;
        Ok((bytes, hasher.digest()))
    }

    /// Fails if it was changed since it was opened.
    pub(crate) fn check_still(&self) -> Result<()> {
        self.check_same(&self.handle()?)
    }

    fn check_same(&self, handle: &Handle<'_>) -> Result<()> {
        let now = Identity::of_open(handle.file()).map_err(|error| self.failed(&error))?;
        if self.stood.is_some_and(|stood| stood != now) { Err(self.changed()) } else { Ok(()) }
    }

    /// Copies its bytes, compressed or not, as they came.
    pub(crate) fn copy_to(&self, out: &File) -> io::Result<u64> {
        let handle = self.handle().map_err(|failure| io::Error::other(failure.what))?;
        let mut file = handle.file();
        file.seek(SeekFrom::Start(0))?;
        file.copy_to(out)
    }

    fn spool(folder: &Path) -> Result<Self> {
        let mut file = spooled(io::stdin(), folder, "standard input")?;
        let mut magic = [0; 2];
        let path = PathBuf::from("standard input");
        let gzip = file.read(&mut magic).map_err(|e| Failure::io(&path, "read it", &e))? == 2
            && magic == [0x1F, 0x8B];
        let version = Version::default();
        let (file, stood) = (Some(file), None);
        Ok(Self {
            name: "-".into(),
            stem: "input".into(),
            path,
            file,
            stood,
            gzip,
            is_linkable: false,
            version,
        })
    }

    fn failed(&self, error: &io::Error) -> Failure {
        let failure = Failure::io(&self.path, "read it", error);
        if self.gzip {
            return Failure::unreadable(format!(
                "{}: the gzip data is broken or cut off: {error}",
                self.path.display()
            ));
        }
        failure
    }

    /// A reader from the first byte on, decompressed.
    pub(crate) fn reader(&self) -> Result<Box<dyn Read + '_>> {
        self.reader_at(0)
    }

    /// The same from byte `offset` of the file on, compressed or not.
    fn reader_at(&self, offset: u64) -> Result<Box<dyn Read + '_>> {
        let mut file = self.handle()?;
        file.seek(SeekFrom::Start(offset)).map_err(|error| self.failed(&error))?;
        Ok(if self.gzip {
            Box::new(MultiGzDecoder::new(io::BufReader::with_capacity(64 * 1024, file)))
        } else {
            Box::new(file)
        })
    }

    /// Its bytes from `offset` on, decompressed.
    fn blocks_from(&self, offset: u64) -> Result<Bytes<'_>> {
        let mut reader = self.reader_at(if self.gzip { 0 } else { offset })?;
        if self.gzip {
            io::copy(&mut reader.by_ref().take(offset), &mut io::sink())
                .map_err(|error| self.failed(&error))?;
        }
        Ok(Bytes { source: self, reader })
    }

    /// Reads samples. In a gzip file the beginning, middle and end are found by inflating it once.
    fn raw_samples(&self) -> Result<RawSamples> {
        let mut samples = RawSamples::default();
        let mut bytes = Bytes { source: self, reader: self.reader()? };
        bytes.append(&mut samples.head, HEAD_BYTES)?;
        // A first line that is longer than the sample is part of it all the same.
        while samples.head.len() >= HEAD_BYTES
            && samples.head.len() < MOST_RECORD_BYTES
            && memchr::memchr2(b'\n', b'\r', &samples.head).is_none()
        {
            let more = samples.head.len();
            bytes.append(&mut samples.head, more)?;
        }
        samples.bytes = samples.head.len() as u64;
        if samples.head.len() < HEAD_BYTES {
            return Ok(samples);
        }
        if self.gzip {
            return samples_of_stream(samples, bytes);
        }
        drop(bytes);
        let mut file = self.handle()?;
        let length = file.seek(SeekFrom::End(0)).map_err(|error| self.failed(&error))?;
        samples.bytes = length;
        let head = samples.head.len() as u64;
        if length <= head {
            return Ok(samples);
        }
        let tail = (length - head).min(SAMPLE_BYTES as u64);
        // Even, so that code units of two bytes stay whole.
        let middle = (head + (length - head) / 2).min(length - tail) & !1;
        self.blocks_from(middle)?.append(&mut samples.middle, SAMPLE_BYTES)?;
        self.blocks_from(length - tail)?.append(&mut samples.tail, tail as usize)?;
        Ok(samples)
    }

    /// The folder and the file's name, if it is a file.
    pub(crate) fn path(&self) -> Option<&Path> {
        (self.name != "-" && !is_address(&self.name)).then_some(self.path.as_path())
    }
}

/// A file that is kept open, or was opened to be read.
enum Handle<'f> {
    Kept(&'f File),
    Own(File),
}

impl Handle<'_> {
    fn file(&self) -> &File {
        match self {
            Self::Kept(file) => file,
            Self::Own(file) => file,
        }
    }
}

impl Read for Handle<'_> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        self.file().read(buffer)
    }
}

impl Seek for Handle<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.file().seek(to)
    }
}

/// Reads the middle and the end of a stream whose head is in `samples`.
fn samples_of_stream(mut samples: RawSamples, mut bytes: Bytes<'_>) -> Result<RawSamples> {
    let mut block = Vec::new();
    let mut last: Vec<u8> = Vec::new();
    loop {
        block.clear();
        let read = bytes.append(&mut block, SAMPLE_BYTES)?;
        samples.bytes += read as u64;
        if read > 0 && samples.middle.is_empty() {
            samples.middle.clone_from(&block);
        }
        last.extend_from_slice(&block);
        let surplus = last.len().saturating_sub(SAMPLE_BYTES);
        last.drain(..surplus);
        if read < SAMPLE_BYTES {
            samples.tail = last;
            return Ok(samples);
        }
    }
}

/// Copies a stream, called `name`, into an unnamed file.
fn spooled(stream: impl Read + Send + 'static, folder: &Path, name: &str) -> Result<File> {
    let not_kept = |error: &io::Error| Failure::io(folder, "keep what was received in the folder", error);
    let mut file = File::unnamed(folder).map_err(|error| not_kept(&error))?;
    let mut stream = Attended::new(stream);
    let mut buffer = vec![0; 256 * 1024];
    loop {
        interrupt::check()?;
        let read = match stream.read(&mut buffer) {
            Ok(0) => break,
            Ok(read) => read,
            Err(_) if interrupt::is_interrupted() => return Err(Failure::interrupted()),
            Err(error) => return Err(Failure::io(Path::new(name), "read it", &error)),
        };
        io::Write::write_all(&mut file, &buffer[..read]).map_err(|error| not_kept(&error))?;
    }
    file.seek(SeekFrom::Start(0)).map_err(|error| not_kept(&error))?;
    Ok(file)
}

/// Bytes of a source in their order.
pub(crate) struct Bytes<'s> {
    source: &'s Source,
    reader: Box<dyn Read + 's>,
}

impl Bytes<'_> {
    /// Appends up to `most` bytes to `buffer`; fewer only at the end of the source.
    fn append(&mut self, buffer: &mut Vec<u8>, most: usize) -> Result<usize> {
        (&mut self.reader).take(most as u64).read_to_end(buffer).map_err(|error| self.source.failed(&error))
    }
}

impl Feed for Source {
    fn shown(&self) -> String {
        self.path.display().to_string()
    }

    fn label(&self) -> String {
        if is_address(&self.name) {
            return web::file_name(&self.name).to_owned();
        }
        let file = self.path().and_then(Path::file_name).map(|n| n.to_string_lossy().into_owned());
        file.unwrap_or_else(|| self.name.clone())
    }

    fn samples(&self) -> incola_engine::stop::Result<RawSamples> {
        self.raw_samples().map_err(outside)
    }

    fn bytes_from(&self, offset: u64) -> incola_engine::stop::Result<Box<dyn feed::Bytes + '_>> {
        Ok(Box::new(self.blocks_from(offset).map_err(outside)?))
    }

    fn watch(&self, doing: Doing, bytes: u64) -> Box<dyn Watch + '_> {
        let doing = match doing {
            Doing::Reading => "reading",
            Doing::Writing => "writing",
            Doing::Comparing => "comparing",
        };
        Box::new(Watched(Progress::new(&format!("{doing} {}", self.shown()), bytes)))
    }
}

impl feed::Bytes for Bytes<'_> {
    fn fill(&mut self, buffer: &mut Vec<u8>, most: usize) -> incola_engine::stop::Result<usize> {
        self.append(buffer, most).map_err(outside)
    }
}

/// Work that shows how far it is, and ends where the user interrupts it.
struct Watched(Progress);

impl Watch for Watched {
    fn done(&mut self, bytes: u64) -> incola_engine::stop::Result<()> {
        if interrupt::is_interrupted() {
            return Err(incola_engine::stop::Stop::Interrupted);
        }
        self.0.add(bytes);
        Ok(())
    }
}

#[cfg(test)]
#[allow(clippy::disallowed_methods, reason = "a test makes its own files")]
mod tests {
    use super::*;

    #[test]
    fn a_source_that_grew_since_it_was_opened_is_not_known_whole() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("calls.csv");
        std::fs::write(&path, "Call,Berth\n1,007\n").unwrap();
        let source = Source::open(&path.display().to_string(), folder.path()).unwrap();
        assert_eq!(source.digest().unwrap().0, 17);
        source.check_still().unwrap();
        std::fs::write(&path, "Call,Berth\n1,007\n2,008\n").unwrap();
        assert!(source.check_still().is_err());
        let failure = source.digest().unwrap_err();
        assert!(failure.to_string().contains("it was changed while it was read"), "{failure}");
        // The next one reads what there is now.
        let source = Source::open(&path.display().to_string(), folder.path()).unwrap();
        assert_eq!(source.digest().unwrap().0, 23);
    }

    #[test]
    fn a_source_that_was_closed_is_read_again_only_if_it_is_the_same() {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("calls.csv");
        std::fs::write(&path, "Call,Berth\n1,007\n").unwrap();
        let mut source = Source::open(&path.display().to_string(), folder.path()).unwrap();
        let before = source.digest().unwrap();
        source.close();
        assert_eq!(source.digest().unwrap(), before);
        let mut text = String::new();
        source.reader().unwrap().read_to_string(&mut text).unwrap();
        assert_eq!(text, "Call,Berth\n1,007\n");
        // As many bytes, in another file.
        std::fs::write(folder.path().join("new"), "Call,Berth\n1,008\n").unwrap();
        std::fs::rename(folder.path().join("new"), &path).unwrap();
        let failure = source.samples().unwrap_err();
        assert!(failure.to_string().contains("it was changed while it was read"), "{failure}");
    }
}
