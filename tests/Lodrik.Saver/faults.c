/*
 * Makes chosen calls of the system fail, below the runtime. Loaded by LD_PRELOAD.
 *
 * The runtime looks the functions that C# names up by dlsym, past anything that a preloaded library defines: dlsym itself is
 * replaced, and answers with the functions below. The runtime's own calls are bound when it is loaded and are left alone.
 */
#define _GNU_SOURCE
#include <dirent.h>
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdatomic.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

enum { OPEN, PREAD, PWRITE, FSYNC, FLOCK, RENAME, UNLINK, MKDIR, RMDIR, STATX, OPENDIR, READDIR, KINDS };

/* Instead of an error: a write that writes less than it was given. */
#define SHORT_WRITE 1000

static atomic_int counts[KINDS];
static int folder_flushes, file_flushes;
static int failing = -1, first, last, number;

int fault_count(int kind) { return kind == KINDS ? file_flushes : kind == KINDS + 1 ? folder_flushes : counts[kind]; }

/* Calls number from to number to of a kind fail with this error; counting begins anew. */
void fault_set(int kind, int from, int to, int error)
{
    for (int i = 0; i < KINDS; i++)
        counts[i] = 0;
    failing = kind, first = from, last = to, number = error;
}

static int fails(int kind)
{
    int count = ++counts[kind];
    if (kind != failing || count < first || count > last)
        return 0;
    errno = number;
    return 1;
}

static int my_open(const char *path, int flags, unsigned mode) { return fails(OPEN) ? -1 : open(path, flags, mode); }
static ssize_t my_pread(int file, void *bytes, size_t count, off_t offset) { return fails(PREAD) ? -1 : pread(file, bytes, count, offset); }

static ssize_t my_pwrite(int file, const void *bytes, size_t count, off_t offset)
{
    if (!fails(PWRITE))
        return pwrite(file, bytes, count, offset);
    return number == SHORT_WRITE ? pwrite(file, bytes, count > 1 ? count / 2 : count, offset) : -1;
}

static int my_fsync(int file)
{
    struct stat about;
    int is_folder = fstat(file, &about) == 0 && S_ISDIR(about.st_mode);
    if (is_folder)
        folder_flushes++;
    else
        file_flushes++;
    if (!fails(FSYNC))
        return fsync(file);
    /* The kernel drops the pages that it could not write. */
    if (number == EIO && !is_folder && ftruncate(file, about.st_size / 2) != 0)
        errno = EIO;
    errno = number;
    return -1;
}

static int my_flock(int file, int operation) { return fails(FLOCK) ? -1 : flock(file, operation); }

static int my_renameat2(int a, const char *from, int b, const char *to, unsigned flags)
{
    return fails(RENAME) ? -1 : renameat2(a, from, b, to, flags);
}

static int my_unlink(const char *path) { return fails(UNLINK) ? -1 : unlink(path); }
static int my_mkdir(const char *path, mode_t mode) { return fails(MKDIR) ? -1 : mkdir(path, mode); }
static int my_rmdir(const char *path) { return fails(RMDIR) ? -1 : rmdir(path); }

static int my_statx(int folder, const char *path, int flags, unsigned mask, struct statx *about)
{
    return fails(STATX) ? -1 : statx(folder, path, flags, mask, about);
}

static DIR *my_opendir(const char *path) { return fails(OPENDIR) ? NULL : opendir(path); }
static struct dirent *my_readdir(DIR *stream) { return fails(READDIR) ? NULL : readdir(stream); }

static const struct { const char *name; void *function; } ours[] = {
    { "open", my_open }, { "pread", my_pread }, { "pwrite", my_pwrite }, { "fsync", my_fsync }, { "flock", my_flock },
    { "renameat2", my_renameat2 }, { "unlink", my_unlink }, { "mkdir", my_mkdir }, { "rmdir", my_rmdir }, { "statx", my_statx },
    { "opendir", my_opendir }, { "readdir", my_readdir },
};

void *dlsym(void *library, const char *name)
{
    static void *(*real)(void *, const char *);
    if (!real)
        real = dlvsym(RTLD_NEXT, "dlsym", "GLIBC_2.34");
    if (!real)
        real = dlvsym(RTLD_NEXT, "dlsym", "GLIBC_2.2.5");
    if (!real)
        real = dlvsym(RTLD_NEXT, "dlsym", "GLIBC_2.17");
    void *found = real(library, name);
    for (size_t i = 0; found && i < sizeof ours / sizeof *ours; i++)
        if (strcmp(ours[i].name, name) == 0)
            return ours[i].function;
    return found;
}
