/*
 * Preloaded into a program, writes down in order what the program does to files below a folder: what it creates,
 * writes, cuts, renames, removes, and what it makes durable (fsync(2)). With that, the folder can be made as a power
 * cut would have left it.
 *
 * JOURNAL_ROOT is the folder, JOURNAL_FILE the journal. A record, little-endian:
 *   u8 op, u64 inode, u64 offset, u32 length of path, u32 length of second path or data, then both.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <sys/uio.h>
#include <unistd.h>

enum { CREATE = 1, TRUNCATE, WRITE, SYNC, RENAME, UNLINK, MKDIR, RMDIR, LINK };

static pthread_mutex_t lock = PTHREAD_RECURSIVE_MUTEX_INITIALIZER_NP;
static char tracked[65536];
static int journal = -1;

#define REAL(name) ((typeof(&name))real(#name))
static void *real(const char *name) { return dlsym(RTLD_NEXT, name); }

static int below(const char *path) {
  const char *root = getenv("JOURNAL_ROOT");
  size_t n = root ? strlen(root) : 0;
  return n > 0 && path && strncmp(path, root, n) == 0 && (path[n] == '/' || path[n] == 0);
}

static void put(const void *bytes, size_t n) {
  const char *at = bytes;
  while (n > 0) {
    ssize_t done = REAL(write)(journal, at, n);
    if (done <= 0) abort();
    at += done;
    n -= (size_t)done;
  }
}

static void note(uint8_t op, uint64_t inode, uint64_t offset, const char *path, const void *more, size_t bytes) {
  if (journal < 0) {
    journal = REAL(open)(getenv("JOURNAL_FILE"), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0600);
    if (journal < 0) abort();
  }
  char head[25];
  uint32_t first = path ? (uint32_t)strlen(path) : 0, second = (uint32_t)bytes;
  head[0] = (char)op;
  memcpy(head + 1, &inode, 8);
  memcpy(head + 9, &offset, 8);
  memcpy(head + 17, &first, 4);
  memcpy(head + 21, &second, 4);
  put(head, sizeof head);
  if (first) put(path, first);
  if (second) put(more, second);
}

static uint64_t inode_of(int fd) {
  struct stat found;
  return fstat(fd, &found) == 0 ? found.st_ino : 0;
}
static int is_tracked(int fd) { return fd >= 0 && fd < (int)sizeof tracked && tracked[fd]; }

static int opened(const char *name, int dir, const char *path, int flags, mode_t mode) {
  if (!below(path)) {
    if (strcmp(name, "openat") == 0) return REAL(openat)(dir, path, flags, mode);
    return REAL(open)(path, flags, mode);
  }
  pthread_mutex_lock(&lock);
  struct stat before;
  int existed = stat(path, &before) == 0;
  int fd = REAL(open)(path, flags, mode);
  int failure = errno;
  if (fd >= 0 && fd < (int)sizeof tracked) {
    tracked[fd] = 1;
    if (!existed && (flags & O_CREAT)) note(CREATE, inode_of(fd), 0, path, NULL, 0);
    else if (flags & O_TRUNC) note(TRUNCATE, inode_of(fd), 0, NULL, NULL, 0);
  }
  pthread_mutex_unlock(&lock);
  errno = failure;
  return fd;
}

#define OPEN(name)                                                                                                    \
  int name(const char *path, int flags, ...) {                                                                        \
    va_list more;                                                                                                     \
    va_start(more, flags);                                                                                            \
    mode_t mode = flags & O_CREAT ? va_arg(more, mode_t) : 0;                                                         \
    va_end(more);                                                                                                     \
    return opened("open", AT_FDCWD, path, flags, mode);                                                               \
  }
OPEN(open)
OPEN(open64)
#define OPENAT(name)                                                                                                  \
  int name(int dir, const char *path, int flags, ...) {                                                               \
    va_list more;                                                                                                     \
    va_start(more, flags);                                                                                            \
    mode_t mode = flags & O_CREAT ? va_arg(more, mode_t) : 0;                                                         \
    va_end(more);                                                                                                     \
    return opened("openat", dir, path, flags, mode);                                                                  \
  }
OPENAT(openat)
OPENAT(openat64)

int close(int fd) {
  if (fd >= 0 && fd < (int)sizeof tracked) tracked[fd] = 0;
  return REAL(close)(fd);
}

static ssize_t written(int fd, const struct iovec *parts, int count, off_t at, int has_place) {
  if (!is_tracked(fd)) return has_place ? REAL(pwritev)(fd, parts, count, at) : REAL(writev)(fd, parts, count);
  pthread_mutex_lock(&lock);
  if (!has_place) {
    struct stat now;
    fstat(fd, &now);
    at = fcntl(fd, F_GETFL) & O_APPEND ? now.st_size : lseek(fd, 0, SEEK_CUR);
  }
  ssize_t done = has_place ? REAL(pwritev)(fd, parts, count, at) : REAL(writev)(fd, parts, count);
  int failure = errno;
  off_t place = at;
  size_t left = done > 0 ? (size_t)done : 0;
  for (int i = 0; i < count && left > 0; i++) {
    size_t n = parts[i].iov_len < left ? parts[i].iov_len : left;
    if (n > 0) note(WRITE, inode_of(fd), (uint64_t)place, NULL, parts[i].iov_base, n);
    place += (off_t)n;
    left -= n;
  }
  pthread_mutex_unlock(&lock);
  errno = failure;
  return done;
}

ssize_t write(int fd, const void *bytes, size_t n) {
  if (!is_tracked(fd)) return REAL(write)(fd, bytes, n);
  struct iovec part = {(void *)bytes, n};
  return written(fd, &part, 1, 0, 0);
}
ssize_t writev(int fd, const struct iovec *parts, int count) { return written(fd, parts, count, 0, 0); }
#define PWRITE(name)                                                                                                  \
  ssize_t name(int fd, const void *bytes, size_t n, off_t at) {                                                       \
    struct iovec part = {(void *)bytes, n};                                                                           \
    return written(fd, &part, 1, at, 1);                                                                              \
  }
PWRITE(pwrite)
PWRITE(pwrite64)
ssize_t pwritev(int fd, const struct iovec *parts, int count, off_t at) { return written(fd, parts, count, at, 1); }
ssize_t pwritev64(int fd, const struct iovec *parts, int count, off_t at) { return written(fd, parts, count, at, 1); }

/** A change that is noted when it went well. */
#define NOTED(call, ...)                                                                                              \
  pthread_mutex_lock(&lock);                                                                                          \
  int result = call;                                                                                                  \
  int failure = errno;                                                                                                \
  if (result == 0) { __VA_ARGS__; }                                                                                   \
  pthread_mutex_unlock(&lock);                                                                                        \
  errno = failure;                                                                                                    \
  return result;

#define CUT(name)                                                                                                     \
  int name(int fd, off_t size) {                                                                                      \
    if (!is_tracked(fd)) return REAL(name)(fd, size);                                                                 \
    NOTED(REAL(name)(fd, size), note(TRUNCATE, inode_of(fd), (uint64_t)size, NULL, NULL, 0))                          \
  }
CUT(ftruncate)
CUT(ftruncate64)

#define DURABLE(name)                                                                                                 \
  int name(int fd) {                                                                                                  \
    if (!is_tracked(fd)) return REAL(name)(fd);                                                                       \
    char own[64], path[4096];                                                                                         \
    snprintf(own, sizeof own, "/proc/self/fd/%d", fd);                                                                \
    ssize_t n = readlink(own, path, sizeof path - 1);                                                                 \
    path[n > 0 ? n : 0] = 0;                                                                                          \
    NOTED(REAL(name)(fd), note(SYNC, inode_of(fd), 0, path, NULL, 0))                                                 \
  }
DURABLE(fsync)
DURABLE(fdatasync)

int rename(const char *from, const char *to) {
  if (!below(from) && !below(to)) return REAL(rename)(from, to);
  NOTED(REAL(rename)(from, to), note(RENAME, 0, 0, from, to, strlen(to)))
}
int link(const char *from, const char *to) {
  if (!below(to)) return REAL(link)(from, to);
  NOTED(REAL(link)(from, to), note(LINK, 0, 0, from, to, strlen(to)))
}
int unlink(const char *path) {
  if (!below(path)) return REAL(unlink)(path);
  NOTED(REAL(unlink)(path), note(UNLINK, 0, 0, path, NULL, 0))
}
int rmdir(const char *path) {
  if (!below(path)) return REAL(rmdir)(path);
  NOTED(REAL(rmdir)(path), note(RMDIR, 0, 0, path, NULL, 0))
}
int mkdir(const char *path, mode_t mode) {
  if (!below(path)) return REAL(mkdir)(path, mode);
  NOTED(REAL(mkdir)(path, mode), note(MKDIR, 0, 0, path, NULL, 0))
}
