/*
 * Makes chosen calls fail that SQLite makes for a database, its log and its index, and leaves all other files alone. Loaded by LD_PRELOAD:
 * SQLite's library is bound to the functions below when it is loaded.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <string.h>
#include <sys/types.h>
#include <unistd.h>

enum { OPEN, PREAD, PWRITE, FSYNC, TRUNCATE, UNLINK, KINDS };

/* Instead of an error: a write that writes less than it was given. */
#define SHORT_WRITE 1000
#define MOST_FILES 4096

static atomic_int counts[KINDS];
static atomic_char is_database[MOST_FILES];
static int failing = -1, first, last, number;

int fault_count(int kind) { return counts[kind]; }

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

static int concerns(const char *path)
{
    const char *found = path ? strstr(path, "saves.db") : NULL;
    return found && !strstr(found, ".lock");
}

static int is_ours(int file) { return file >= 0 && file < MOST_FILES && is_database[file]; }

int open64(const char *path, int flags, ...)
{
    static int (*real)(const char *, int, ...);
    if (!real)
        real = dlsym(RTLD_NEXT, "open64");
    va_list rest;
    va_start(rest, flags);
    mode_t mode = flags & O_CREAT ? va_arg(rest, mode_t) : 0;
    va_end(rest);
    int ours = concerns(path);
    if (ours && fails(OPEN))
        return -1;
    int file = real(path, flags, mode);
    if (file >= 0 && file < MOST_FILES)
        is_database[file] = ours;
    return file;
}

ssize_t pread64(int file, void *bytes, size_t count, off64_t offset)
{
    static ssize_t (*real)(int, void *, size_t, off64_t);
    if (!real)
        real = dlsym(RTLD_NEXT, "pread64");
    return is_ours(file) && fails(PREAD) ? -1 : real(file, bytes, count, offset);
}

ssize_t pwrite64(int file, const void *bytes, size_t count, off64_t offset)
{
    static ssize_t (*real)(int, const void *, size_t, off64_t);
    if (!real)
        real = dlsym(RTLD_NEXT, "pwrite64");
    if (is_ours(file) && fails(PWRITE)) {
        if (number != SHORT_WRITE)
            return -1;
        count = (count + 1) / 2;
    }
    return real(file, bytes, count, offset);
}

int fsync(int file)
{
    static int (*real)(int);
    if (!real)
        real = dlsym(RTLD_NEXT, "fsync");
    return is_ours(file) && fails(FSYNC) ? -1 : real(file);
}

int ftruncate64(int file, off64_t size)
{
    static int (*real)(int, off64_t);
    if (!real)
        real = dlsym(RTLD_NEXT, "ftruncate64");
    return is_ours(file) && fails(TRUNCATE) ? -1 : real(file, size);
}

int unlink(const char *path)
{
    static int (*real)(const char *);
    if (!real)
        real = dlsym(RTLD_NEXT, "unlink");
    return concerns(path) && fails(UNLINK) ? -1 : real(path);
}
