/*
 * A disk that fails when it is told to, for faults.spec.ts: loaded before a process (LD_PRELOAD), it counts what is written
 * below DISK_FOLDER and, once DISK_FAULT (a file of four ints that both sides see) says so, refuses it.
 *   [0] the errno to give (ENOSPC, EIO, EROFS), 0 for a disk that is well
 *   [1] writes that still go well before it
 *   [2] writes that were refused so far
 *   [3] 1: the first write that is refused is done by half, as on a disk that fills up in the middle
 * Build: gcc -shared -fPIC -O1 -o disk.so disk.c -ldl
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/uio.h>
#include <unistd.h>

static volatile int *fault;
static char folder[PATH_MAX];
static size_t folder_length;

__attribute__((constructor)) static void begin(void) {
  const char *file = getenv("DISK_FAULT"), *below = getenv("DISK_FOLDER");
  if (!file || !below) return;
  int fd = open(file, O_RDWR);
  if (fd < 0) return;
  void *seen = mmap(NULL, 4 * sizeof(int), PROT_READ | PROT_WRITE, MAP_SHARED, fd, 0);
  close(fd);
  if (seen == MAP_FAILED) return;
  fault = seen;
  strncpy(folder, below, sizeof folder - 1);
  folder_length = strlen(folder);
}

static int is_below(const char *path) { return strncmp(path, folder, folder_length) == 0; }
static int is_file_below(int fd) {
  char link[64], path[PATH_MAX];
  snprintf(link, sizeof link, "/proc/self/fd/%d", fd);
  ssize_t n = readlink(link, path, sizeof path - 1);
  if (n <= 0) return 0;
  path[n] = 0;
  return is_below(path);
}
/* Whether this one is refused; errno is then set. */
static int refuses(void) {
  if (!fault || !fault[0]) return 0;
  if (__sync_fetch_and_sub(&fault[1], 1) > 0) return 0;
  __sync_fetch_and_add(&fault[2], 1);
  errno = fault[0];
  return 1;
}
/* Of so many bytes, how many are written though it fails: half of the first write that does, if so told. */
static size_t torn(size_t n) { return fault[3] && fault[2] == 1 ? n / 2 : 0; }

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

ssize_t write(int fd, const void *bytes, size_t n) {
  if (fault && fault[0] && is_file_below(fd) && refuses()) {
    size_t half = torn(n);
    return half ? REAL(write)(fd, bytes, half) : -1;
  }
  return REAL(write)(fd, bytes, n);
}
ssize_t pwrite(int fd, const void *bytes, size_t n, off_t at) {
  if (fault && fault[0] && is_file_below(fd) && refuses()) {
    size_t half = torn(n);
    return half ? REAL(pwrite)(fd, bytes, half, at) : -1;
  }
  return REAL(pwrite)(fd, bytes, n, at);
}
ssize_t pwrite64(int fd, const void *bytes, size_t n, off64_t at) {
  if (fault && fault[0] && is_file_below(fd) && refuses()) {
    size_t half = torn(n);
    return half ? REAL(pwrite64)(fd, bytes, half, at) : -1;
  }
  return REAL(pwrite64)(fd, bytes, n, at);
}
ssize_t pwritev(int fd, const struct iovec *v, int count, off_t at) {
  return fault && fault[0] && is_file_below(fd) && refuses() ? -1 : REAL(pwritev)(fd, v, count, at);
}
ssize_t writev(int fd, const struct iovec *v, int count) {
  return fault && fault[0] && is_file_below(fd) && refuses() ? -1 : REAL(writev)(fd, v, count);
}
int fsync(int fd) { return fault && fault[0] && is_file_below(fd) && refuses() ? -1 : REAL(fsync)(fd); }
int fdatasync(int fd) { return fault && fault[0] && is_file_below(fd) && refuses() ? -1 : REAL(fdatasync)(fd); }
int ftruncate(int fd, off_t n) {
  return fault && fault[0] && is_file_below(fd) && refuses() ? -1 : REAL(ftruncate)(fd, n);
}
int ftruncate64(int fd, off64_t n) {
  return fault && fault[0] && is_file_below(fd) && refuses() ? -1 : REAL(ftruncate64)(fd, n);
}
int rename(const char *from, const char *to) {
  return fault && fault[0] && is_below(to) && refuses() ? -1 : REAL(rename)(from, to);
}
