/** What runs the logic on Linux in real time, with points over Modbus TCP or in shared memory. */
export const POINTS_LINUX_H = String.raw`/* Inputs and outputs as bytes, in the order of their addresses. */
#ifndef POINTS_H
#define POINTS_H
#include "ferrule.h"

struct point { void *at; char area; uint16_t byte; int8_t bit; uint8_t size; };
extern const struct point logic_points[]; /* the last one has no memory */
extern const uint16_t input_bytes, output_bytes;
extern uint8_t input_image[], output_image[];
/* Of the tags that live through a restart. */
struct retained { void *at; size_t size; };
extern const struct retained retained[];
#define RETAINED_END {NULL, 0}
extern const uint32_t retained_mark;

void points_read(void);  /* from input_image into the logic */
void points_write(void); /* from the logic into output_image */
void points_rest(void);  /* outputs off, or at what they take in stop */
#endif
`;

export const IO_LINUX_H = String.raw`/* Where the images come from and go to. */
#ifndef IO_H
#define IO_H
#include "points.h"

/* A file of shared memory: the bytes of %I, then those of %Q. NULL, or what went wrong. */
const char *map_open(const char *path);
void map_exchange(void);
/*
 * A Modbus TCP device, host:port. Its discrete inputs are the bits of %I (%IX2.3 is number 19), its input registers the
 * words (%IW4 is number 2); coils and holding registers are %Q alike. A thread of its own, so that no scan waits for it:
 * each scan takes the newest inputs. While there is no connection all of them are off.
 */
const char *modbus_open(const char *host_port);
void modbus_exchange(void);
#endif
`;

export const IO_LINUX_C = String.raw`#define _DEFAULT_SOURCE
#include "io.h"

#include <fcntl.h>
#include <netdb.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <pthread.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <sys/socket.h>
#include <sys/time.h>
#include <time.h>
#include <unistd.h>

/* ---- Shared memory ----------------------------------------------------------------------------------------------- */

static volatile uint8_t *map;
const char *map_open(const char *path) {
  int file = open(path, O_RDWR | O_CREAT, 0660);
  size_t size = (size_t)input_bytes + output_bytes;
  if (file < 0 || ftruncate(file, (off_t)(size ? size : 1)) != 0) return "the file cannot be opened for writing.";
  void *at = mmap(NULL, size ? size : 1, PROT_READ | PROT_WRITE, MAP_SHARED, file, 0);
  close(file);
  if (at == MAP_FAILED) return "the file cannot be mapped.";
  map = at;
  return NULL;
}
void map_exchange(void) {
  if (!map) return;
  for (uint16_t i = 0; i < input_bytes; i++) input_image[i] = map[i];
  for (uint16_t i = 0; i < output_bytes; i++) map[input_bytes + i] = output_image[i];
}

/* ---- Modbus TCP ---------------------------------------------------------------------------------------------------- */

#define MOST 2048
static pthread_mutex_t lock = PTHREAD_MUTEX_INITIALIZER;
static uint8_t in_bits[MOST], in_words[MOST], out_bits[MOST], out_words[MOST]; /* what the thread and the scan share */
static char host[256], port[16];
static bool on;
static uint16_t count(char area, bool bits) {
  uint32_t end = 0;
  for (const struct point *p = logic_points; p->at; p++)
    if (p->area == area && (p->bit >= 0) == bits && (uint32_t)(p->byte + p->size) > end) end = (uint32_t)(p->byte + p->size);
  return (uint16_t)(end < MOST ? end : MOST);
}

static bool all(int link, void *data, size_t size, bool out) {
  uint8_t *at = data;
  while (size) {
    ssize_t n = out ? send(link, at, size, MSG_NOSIGNAL) : recv(link, at, size, 0);
    if (n <= 0) return false;
    at += n;
    size -= (size_t)n;
  }
  return true;
}
/* One request and its answer; false where the link is gone or the device refuses. */
static bool ask(int link, const uint8_t *request, size_t size, uint8_t *answer, size_t *answer_size) {
  static uint16_t number;
  number++;
  uint8_t head[7] = {(uint8_t)(number >> 8), (uint8_t)number, 0, 0, (uint8_t)((size + 1) >> 8), (uint8_t)(size + 1), 1};
  uint8_t frame[7 + 260];
  memcpy(frame, head, 7);
  memcpy(frame + 7, request, size);
  if (!all(link, frame, 7 + size, true) || !all(link, head, 7, false)) return false;
  size_t length = (size_t)(head[4] << 8 | head[5]);
  if (length < 2 || length > 254 || head[0] != (uint8_t)(number >> 8) || head[1] != (uint8_t)number) return false;
  *answer_size = length - 1;
  return all(link, answer, length - 1, false) && answer[0] == request[0];
}
/* bits: bytes of eight each; words: two bytes each, the lower first here and the higher first on the wire. */
static bool read_all(int link, uint8_t function, uint8_t *image, uint16_t bytes, bool bits) {
  uint16_t most = bits ? 250 : 240;
  for (uint16_t at = 0; at < bytes; at = (uint16_t)(at + most)) {
    uint16_t n = bytes - at < most ? (uint16_t)(bytes - at) : most, first = bits ? (uint16_t)(at * 8) : at / 2;
    uint16_t items = bits ? (uint16_t)(n * 8) : (uint16_t)((n + 1) / 2);
    uint8_t request[5] = {function, (uint8_t)(first >> 8), (uint8_t)first, (uint8_t)(items >> 8), (uint8_t)items}, answer[260];
    size_t size;
    if (!ask(link, request, 5, answer, &size) || size < 2u + (bits ? n : 2u * items)) return false;
    for (uint16_t i = 0; i < n; i++) image[at + i] = answer[2 + (bits ? i : i ^ 1)];
  }
  return true;
}
static bool write_all(int link, uint8_t function, const uint8_t *image, uint16_t bytes, bool bits) {
  uint16_t most = bits ? 240 : 240;
  for (uint16_t at = 0; at < bytes; at = (uint16_t)(at + most)) {
    uint16_t n = bytes - at < most ? (uint16_t)(bytes - at) : most, first = bits ? (uint16_t)(at * 8) : at / 2;
    uint16_t items = bits ? (uint16_t)(n * 8) : (uint16_t)((n + 1) / 2), whole = bits ? n : (uint16_t)(2 * items);
    uint8_t request[6 + 250] = {function, (uint8_t)(first >> 8), (uint8_t)first, (uint8_t)(items >> 8), (uint8_t)items, (uint8_t)whole};
    uint8_t answer[260];
    size_t size;
    for (uint16_t i = 0; i < whole; i++) request[6 + i] = image[at + (bits ? i : i ^ 1)];
    if (!ask(link, request, 6u + whole, answer, &size)) return false;
  }
  return true;
}
static int dial(void) {
  struct addrinfo hints = {.ai_socktype = SOCK_STREAM}, *found = NULL;
  int link = -1, yes = 1;
  struct timeval wait = {.tv_sec = 1};
  if (getaddrinfo(host, port, &hints, &found) != 0) return -1;
  for (struct addrinfo *a = found; a && link < 0; a = a->ai_next) {
    link = socket(a->ai_family, a->ai_socktype, a->ai_protocol);
    if (link < 0) continue;
    setsockopt(link, SOL_SOCKET, SO_RCVTIMEO, &wait, sizeof wait);
    setsockopt(link, SOL_SOCKET, SO_SNDTIMEO, &wait, sizeof wait);
    setsockopt(link, IPPROTO_TCP, TCP_NODELAY, &yes, sizeof yes);
    if (connect(link, a->ai_addr, a->ai_addrlen) != 0) {
      close(link);
      link = -1;
    }
  }
  freeaddrinfo(found);
  return link;
}
static void *exchange(void *unused) {
  static uint8_t bits[MOST], words[MOST], coils[MOST], registers[MOST];
  uint16_t ib = count('I', true), iw = count('I', false), qb = count('Q', true), qw = count('Q', false);
  bool said = false;
  for (;;) {
    int link = dial();
    if (link < 0 && !said) fprintf(stderr, "io: no connection to %s:%s; inputs are off, tried again every second.\n", host, port);
    if (link >= 0) fprintf(stderr, "io: connected to %s:%s.\n", host, port);
    said = link < 0;
    while (link >= 0) {
      pthread_mutex_lock(&lock);
      memcpy(coils, out_bits, MOST);
      memcpy(registers, out_words, MOST);
      pthread_mutex_unlock(&lock);
      if ((qb && !write_all(link, 15, coils, qb, true)) || (qw && !write_all(link, 16, registers, qw, false)) ||
          (ib && !read_all(link, 2, bits, ib, true)) || (iw && !read_all(link, 4, words, iw, false)))
        break;
      pthread_mutex_lock(&lock);
      memcpy(in_bits, bits, MOST);
      memcpy(in_words, words, MOST);
      pthread_mutex_unlock(&lock);
      nanosleep(&(struct timespec){.tv_nsec = 2000000}, NULL);
    }
    if (link >= 0) {
      close(link);
      fprintf(stderr, "io: %s:%s is gone; inputs are off.\n", host, port);
      said = true;
    }
    pthread_mutex_lock(&lock);
    memset(in_bits, 0, MOST);
    memset(in_words, 0, MOST);
    pthread_mutex_unlock(&lock);
    nanosleep(&(struct timespec){.tv_sec = 1}, NULL);
  }
  return unused;
}
const char *modbus_open(const char *host_port) {
  const char *colon = strrchr(host_port, ':');
  pthread_t thread;
  if (!colon || colon == host_port || (size_t)(colon - host_port) >= sizeof host || strlen(colon + 1) >= sizeof port || !colon[1])
    return "write host:port, for example 192.168.0.20:502.";
  memcpy(host, host_port, (size_t)(colon - host_port));
  strcpy(port, colon + 1);
  on = true;
  return pthread_create(&thread, NULL, exchange, NULL) == 0 ? NULL : "its thread cannot be started.";
}
void modbus_exchange(void) {
  if (!on) return;
  pthread_mutex_lock(&lock);
  for (const struct point *p = logic_points; p->at; p++) {
    uint8_t *shared = p->area == 'I' ? (p->bit >= 0 ? in_bits : in_words) : p->bit >= 0 ? out_bits : out_words;
    if (p->byte + p->size > MOST) continue;
    if (p->area == 'Q' && p->bit >= 0) put_bit(shared + p->byte, (uint8_t)p->bit, get_bit(output_image + p->byte, (uint8_t)p->bit));
    else if (p->area == 'Q') memcpy(shared + p->byte, output_image + p->byte, p->size);
    else if (p->bit >= 0) put_bit(input_image + p->byte, (uint8_t)p->bit, get_bit(shared + p->byte, (uint8_t)p->bit));
    else memcpy(input_image + p->byte, shared + p->byte, p->size);
  }
  pthread_mutex_unlock(&lock);
}
`;

export const MAIN_LINUX_C = String.raw`/* The logic in real time: inputs, a scan, outputs, and again when its time has come. */
#define _DEFAULT_SOURCE
#include "io.h"
#include "logic.h"
#include "trace.h"

#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/mman.h>
#include <time.h>
#include <unistd.h>

static volatile sig_atomic_t ended;
static void end(int signal) {
  (void)signal;
  ended = 1;
}
static _Noreturn void usage(const char *option, const char *why) {
  fprintf(stderr, "%s: %s\n", option, why);
  exit(2);
}

/* Retained values: their mark, then their bytes. Another program's are left alone; written beside and renamed, so never half. */
static void retained_load(const char *path) {
  FILE *file = fopen(path, "rb");
  uint32_t mark = 0;
  size_t size = 0, got;
  for (const struct retained *r = retained; r->at; r++) size += r->size;
  uint8_t *bytes = malloc(size + 1), *at = bytes;
  if (!file || !bytes) {
    free(bytes);
    if (file) fclose(file);
    return;
  }
  got = fread(&mark, sizeof mark, 1, file) == 1 ? fread(bytes, 1, size + 1, file) : 0;
  if (mark == retained_mark && got == size)
    for (const struct retained *r = retained; r->at; at += r->size, r++) memcpy(r->at, at, r->size);
  else fprintf(stderr, "retain: %s holds the values of another program; the logic starts cold.\n", path);
  fclose(file);
  free(bytes);
}
static void retained_save(const char *path) {
  char beside[4096];
  snprintf(beside, sizeof beside, "%s.new", path);
  FILE *file = fopen(beside, "wb");
  bool whole = file && fwrite(&retained_mark, sizeof retained_mark, 1, file) == 1;
  for (const struct retained *r = retained; whole && r->at; r++) whole = fwrite(r->at, 1, r->size, file) == r->size;
  if (file) whole = fflush(file) == 0 && fsync(fileno(file)) == 0 && whole;
  if (file) whole = fclose(file) == 0 && whole;
  if (!whole || rename(beside, path) != 0) fprintf(stderr, "retain: %s cannot be written: %s.\n", path, strerror(errno));
}

int main(int count, char **args) {
  const char *retain = NULL, *why = NULL;
  int64_t scans = -1;
  for (int i = 1; i < count; i++) {
    const char *option = args[i], *value = i + 1 < count ? args[++i] : NULL;
    if (!value) usage(option, "an unknown option, or its value is missing; --modbus host:port, --map file, --retain file, --scans N.");
    if (!strcmp(option, "--modbus")) why = modbus_open(value);
    else if (!strcmp(option, "--map")) why = map_open(value);
    else if (!strcmp(option, "--retain")) retain = value;
    else if (!strcmp(option, "--scans")) scans = strtoll(value, NULL, 10);
    else usage(option, "an unknown option; --modbus host:port, --map file, --retain file, --scans N.");
    if (why) usage(option, why);
  }
  ferrule_start(LOGIC_STEP_NS);
  if (retain) retained_load(retain);
  struct sigaction stop = {.sa_handler = end};
  sigaction(SIGINT, &stop, NULL);
  sigaction(SIGTERM, &stop, NULL);
  /* So that no scan waits for a page; it works without where it is not allowed. */
  (void)!mlockall(MCL_CURRENT | MCL_FUTURE);
  points_rest();
  struct timespec next;
  clock_gettime(CLOCK_MONOTONIC, &next);
  int64_t late = 0, since_save = 0;
  while (!ended && scans != 0) {
    modbus_exchange();
    map_exchange();
    points_read();
    if (!ferrule_scan()) {
      const struct place *p = &logic_places[ferrule.place];
      fprintf(stderr, "fault: %s: number %u, value %lld; outputs are at rest.\n", p->where, ferrule.fault, (long long)ferrule.value);
      points_rest();
      modbus_exchange();
      map_exchange();
      /* What is on its way to the device gets there. */
      nanosleep(&(struct timespec){.tv_nsec = 100000000}, NULL);
      return 3;
    }
    points_write();
    map_exchange();
    if (scans > 0) scans--;
    since_save += LOGIC_STEP_NS;
    if (retain && since_save >= 1000000000) {
      retained_save(retain);
      since_save = 0;
    }
    next.tv_nsec += LOGIC_STEP_NS % 1000000000;
    next.tv_sec += LOGIC_STEP_NS / 1000000000 + next.tv_nsec / 1000000000;
    next.tv_nsec %= 1000000000;
    struct timespec now;
    clock_gettime(CLOCK_MONOTONIC, &now);
    int64_t behind = (now.tv_sec - next.tv_sec) * INT64_C(1000000000) + now.tv_nsec - next.tv_nsec;
    if (behind > 0) late++;
    /* A scan that is missed altogether is made up for in time, as on the stand-in. */
    while (behind >= LOGIC_STEP_NS) {
      ferrule.now += ferrule.step;
      behind -= LOGIC_STEP_NS;
      next.tv_nsec += LOGIC_STEP_NS % 1000000000;
      next.tv_sec += LOGIC_STEP_NS / 1000000000 + next.tv_nsec / 1000000000;
      next.tv_nsec %= 1000000000;
    }
    while (clock_nanosleep(CLOCK_MONOTONIC, TIMER_ABSTIME, &next, NULL) == EINTR && !ended) {}
  }
  points_rest();
  modbus_exchange();
  map_exchange();
  if (retain) retained_save(retain);
  if (late) fprintf(stderr, "%lld scans ended late.\n", (long long)late);
  return 0;
}
`;
