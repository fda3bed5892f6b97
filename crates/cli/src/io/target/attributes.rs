//! What a file has besides its bytes: owner, group, permissions, access lists and other attributes. The file that replaces it gets them
//! too, as far as the user may give them.

use crate::io::disk::File;
use std::fs::Metadata;
use std::io;
use std::path::Path;

/// Gives a file what the one at `path` has; what could not be given, in words.
///
/// # Errors
/// If permissions cannot be set.
pub(super) fn give(path: &Path, about: &Metadata, file: &File) -> io::Result<Vec<String>> {
    let mut not_kept = Vec::new();
    #[cfg(unix)]
    owner(about, file, &mut not_kept)?;
    // After the owner, who is asked first: until then only this user may read it.
    file.set_permissions(about.permissions())?;
    #[cfg(target_os = "linux")]
    extended(path, file, &mut not_kept);
    let _ = path;
    Ok(not_kept)
}

#[cfg(unix)]
fn owner(about: &Metadata, file: &File, not_kept: &mut Vec<String>) -> io::Result<()> {
    use std::os::unix::fs::{MetadataExt, fchown};
    let own = file.metadata()?;
    let (user, group) = (about.uid(), about.gid());
    if (own.uid(), own.gid()) == (user, group) || fchown(file.own(), Some(user), Some(group)).is_ok() {
        return Ok(());
    }
    if own.uid() != user {
        not_kept.push("it belongs to you now: its owner cannot be kept".to_owned());
    }
    if own.gid() != group && fchown(file.own(), None, Some(group)).is_err() {
        not_kept.push("it belongs to your group now: its own cannot be kept".to_owned());
    }
    Ok(())
}

/// Access lists are among these.
#[cfg(target_os = "linux")]
fn extended(path: &Path, file: &File, not_kept: &mut Vec<String>) {
    use rustix::fs::{XattrFlags, fsetxattr, getxattr, listxattr};
    /// Most bytes of all names, or of one value.
    const MOST: usize = 1 << 16;
    let mut names = vec![0_u8; MOST];
    // A file system that has none says so.
    let Ok(length) = listxattr(path, &mut names[..]) else { return };
    for name in names[..length].split(|byte| *byte == 0).filter(|name| !name.is_empty()) {
        let mut value = vec![0_u8; MOST];
        let given = getxattr(path, name, &mut value[..])
            .and_then(|length| fsetxattr(file.own(), name, &value[..length], XattrFlags::empty()));
        // Those of the system's security modules are its own affair.
        if given.is_err() && !name.starts_with(b"security.") {
            not_kept.push(format!("its attribute {} cannot be kept", String::from_utf8_lossy(name)));
        }
    }
}
