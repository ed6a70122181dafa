/* Stands between a process and its files, and writes down what it does to those of one folder: LD_PRELOAD this library
 * with LOYAL_TRACE_FOLDER (the folder, absolute) and LOYAL_TRACE_TRACE (the file to write to) set.
 *
 * One record: sort (one letter), length of the path (u32), of the data (u32), offset (u64), path, data. Sorts: O open for
 * writing (offset 1: emptied), W write, T truncate (offset: to), S forced to disk, R rename (data: new path), U unlink,
 * M mkdir. Numbers are of this machine's byte order: who reads runs on the same one. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <limits.h>
#include <pthread.h>
#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#define MOST 4096
static char *paths[MOST];
static const char *folder;
static int trace = -1;
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

static void put(const void *data, size_t size) {
    const char *at = data;
    while (size > 0) {
        long done = syscall(SYS_write, trace, at, size);
        if (done <= 0) _exit(97); /* a record with a hole would prove nothing */
        at += done;
        size -= (size_t)done;
    }
}

static void record(char sort, const char *path, uint64_t offset, const void *data, uint32_t size) {
    uint32_t length = (uint32_t)strlen(path);
    pthread_mutex_lock(&lock);
    put(&sort, 1);
    put(&length, 4);
    put(&size, 4);
    put(&offset, 8);
    put(path, length);
    put(data, size);
    pthread_mutex_unlock(&lock);
}

__attribute__((constructor)) static void begin(void) {
    const char *file = getenv("LOYAL_TRACE_TRACE");
    folder = getenv("LOYAL_TRACE_FOLDER");
    if (folder != NULL && file != NULL)
        trace = (int)syscall(SYS_openat, AT_FDCWD, file, O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
}

static int ours(const char *path) {
    return trace >= 0 && path != NULL && strncmp(path, folder, strlen(folder)) == 0;
}

static const char *path_of(int fd) { return fd >= 0 && fd < MOST ? paths[fd] : NULL; }

static int opened(int fd, const char *path, int flags) {
    if (fd < 0 || fd >= MOST) return fd;
    free(paths[fd]);
    paths[fd] = ours(path) ? strdup(path) : NULL;
    if (paths[fd] != NULL && (flags & O_ACCMODE) != O_RDONLY) record('O', path, (flags & O_TRUNC) != 0, "", 0);
    return fd;
}

#define OPEN(name)                                          \
    int name(const char *path, int flags, ...) {            \
        va_list more;                                       \
        va_start(more, flags);                              \
        mode_t mode = va_arg(more, mode_t);                 \
        va_end(more);                                       \
        return opened(REAL(name)(path, flags, mode), path, flags); \
    }
OPEN(open)
OPEN(open64)

#define OPEN_AT(name)                                       \
    int name(int at, const char *path, int flags, ...) {    \
        va_list more;                                       \
        va_start(more, flags);                              \
        mode_t mode = va_arg(more, mode_t);                 \
        va_end(more);                                       \
        return opened(REAL(name)(at, path, flags, mode), path, flags); \
    }
OPEN_AT(openat)
OPEN_AT(openat64)

ssize_t write(int fd, const void *data, size_t size) {
    const char *path = path_of(fd);
    off_t at = path != NULL ? lseek(fd, 0, SEEK_CUR) : 0;
    ssize_t done = REAL(write)(fd, data, size);
    if (path != NULL && done > 0) record('W', path, (uint64_t)(at < 0 ? 0 : at), data, (uint32_t)done);
    return done;
}

#define PWRITE(name, type)                                              \
    ssize_t name(int fd, const void *data, size_t size, type at) {      \
        ssize_t done = REAL(name)(fd, data, size, at);                  \
        const char *path = path_of(fd);                                 \
        if (path != NULL && done > 0) record('W', path, (uint64_t)at, data, (uint32_t)done); \
        return done;                                                    \
    }
PWRITE(pwrite, off_t)
PWRITE(pwrite64, off64_t)

#define TRUNCATE(name, type)                                \
    int name(int fd, type to) {                             \
        int done = REAL(name)(fd, to);                      \
        if (done == 0 && path_of(fd) != NULL) record('T', path_of(fd), (uint64_t)to, "", 0); \
        return done;                                        \
    }
TRUNCATE(ftruncate, off_t)
TRUNCATE(ftruncate64, off64_t)

#define SYNC(name)                                          \
    int name(int fd) {                                      \
        int done = REAL(name)(fd);                          \
        if (done == 0 && path_of(fd) != NULL) record('S', path_of(fd), 0, "", 0); \
        return done;                                        \
    }
SYNC(fsync)
SYNC(fdatasync)

int rename(const char *from, const char *to) {
    int done = REAL(rename)(from, to);
    if (done == 0 && ours(from)) record('R', from, 0, to, (uint32_t)strlen(to));
    return done;
}

int unlink(const char *path) {
    int done = REAL(unlink)(path);
    if (done == 0 && ours(path)) record('U', path, 0, "", 0);
    return done;
}

int mkdir(const char *path, mode_t mode) {
    int done = REAL(mkdir)(path, mode);
    if (done == 0 && ours(path)) record('M', path, 0, "", 0);
    return done;
}

int close(int fd) {
    if (fd >= 0 && fd < MOST) {
        free(paths[fd]);
        paths[fd] = NULL;
    }
    return REAL(close)(fd);
}
