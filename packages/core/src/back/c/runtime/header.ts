/** `ferrule.h`: what the logic in C stands on. Written to be read. */
export const FERRULE_H = String.raw`/*
 * What the logic stands on: the clock of the scan, faults, arithmetic that wraps, text.
 * No heap; everything here is the same on every machine.
 */
#ifndef FERRULE_H
#define FERRULE_H

#include <math.h>
#include <setjmp.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <string.h>

/* ---- The scan --------------------------------------------------------------------------------------------------- */

/* Time is counted in nanoseconds, or where all durations of the program allow it in 32 bits of longer ticks; now and step are those of the scan, the same for all of it. */
#ifdef FERRULE_SHORT_TIME
#define FERRULE_TICK_NS FERRULE_SHORT_TIME
typedef int32_t ferrule_time;
#else
#define FERRULE_TICK_NS 1
typedef int64_t ferrule_time;
#endif

struct ferrule {
  ferrule_time now;   /* time at which the scan began */
  ferrule_time step;  /* how far it moves from one scan to the next */
  uint32_t watchdog;  /* passes of loops that one scan may make */
  uint32_t budget;    /* passes that are left in this scan */
  uint8_t nested;     /* calls that have come back to themselves */
  uint8_t fault;      /* what went wrong: one of ferrule_faults, 0 for nothing */
  uint16_t place;     /* where, a number of logic_places */
  int64_t value;      /* the index, number or value that it went wrong with */
  bool stopped;       /* after a fault the logic rests until it is started anew */
  jmp_buf stop;
};
extern struct ferrule ferrule;

enum ferrule_faults { FAULT_NONE, FAULT_INDEX, FAULT_DIVISION, FAULT_WATCHDOG, FAULT_NULL, FAULT_RANGE, FAULT_DEPTH };

/* Start values, clock at 0. Step: how far time moves with each scan, in ticks. */
void ferrule_start(ferrule_time step);
/* One scan of the logic; false when it faulted, or rests after a fault. Memory stays as it was at the fault. */
bool ferrule_scan(void);
/* The same for other code that may fault, the model of a machine for example. */
bool ferrule_guard(void (*run)(void));

_Noreturn void ferrule_fault(uint8_t fault, uint16_t place, int64_t value);
/* Around calls through an interface that may come back to where they were made: deeper than 64 is a fault. */
void ferrule_enter(uint16_t place);
void ferrule_leave(void);

/* A cyclic task: due at time 0, then whenever its interval has passed, on its own raster. */
struct ferrule_task {
  ferrule_time interval;
  ferrule_time next;
  bool was; /* of a task with a condition: whether it was on */
};
bool ferrule_due(struct ferrule_task *task);
/* A task that a condition starts: when it rises; with an interval also in this as long as it is off. */
bool ferrule_rises(struct ferrule_task *task, bool condition);

/* Made from the program, in logic.c. */
void logic_start(void);
void logic_scan(void);

/* ---- Whole numbers: they wrap; division by zero was kept away, MOD by zero is 0 ------------------------------------ */

#define FERRULE_COMPARE(type, name) \
  static inline bool eq_##name(type a, type b) { return a == b; } \
  static inline bool ne_##name(type a, type b) { return a != b; } \
  static inline bool lt_##name(type a, type b) { return a < b; } \
  static inline bool le_##name(type a, type b) { return a <= b; } \
  static inline bool gt_##name(type a, type b) { return a > b; } \
  static inline bool ge_##name(type a, type b) { return a >= b; }

/* wide: an unsigned type in which nothing overflows that is cut to the type afterwards. */
#define FERRULE_WHOLE(type, bits, wide, name) \
  static inline type add_##name(type a, type b) { return (type)(bits)((wide)a + (wide)b); } \
  static inline type sub_##name(type a, type b) { return (type)(bits)((wide)a - (wide)b); } \
  static inline type mul_##name(type a, type b) { return (type)(bits)((wide)a * (wide)b); } \
  static inline type neg_##name(type a) { return (type)(bits)((wide)0 - (wide)a); } \
  static inline type min_##name(type a, type b) { return a <= b ? a : b; } \
  static inline type max_##name(type a, type b) { return a >= b ? a : b; } \
  FERRULE_COMPARE(type, name)

#define FERRULE_SIGNED(type, bits, wide, name) \
  FERRULE_WHOLE(type, bits, wide, name) \
  static inline type div_##name(type a, type b) { return b == -1 ? neg_##name(a) : (type)(a / b); } \
  static inline type mod_##name(type a, type b) { return b == 0 || b == -1 ? 0 : (type)(a % b); } \
  static inline type abs_##name(type a) { return a < 0 ? neg_##name(a) : a; }

#define FERRULE_UNSIGNED(type, size, wide, name) \
  FERRULE_WHOLE(type, type, wide, name) \
  static inline type not_##name(type a) { return (type)~(wide)a; } \
  static inline type div_##name(type a, type b) { return (type)(a / b); } \
  static inline type mod_##name(type a, type b) { return b == 0 ? 0 : (type)(a % b); } \
  static inline type shl_##name(type a, int64_t n) { return (uint64_t)n < size ? (type)((wide)a << n) : 0; } \
  static inline type shr_##name(type a, int64_t n) { return (uint64_t)n < size ? (type)(a >> n) : 0; } \
  static inline type rol_##name(type a, int64_t n) { \
    n &= size - 1; \
    return n == 0 ? a : (type)(((wide)a << n) | ((wide)a >> (size - n))); \
  } \
  static inline type ror_##name(type a, int64_t n) { \
    n &= size - 1; \
    return n == 0 ? a : (type)(((wide)a >> n) | ((wide)a << (size - n))); \
  }

FERRULE_SIGNED(int8_t, uint8_t, unsigned, i8)
FERRULE_SIGNED(int16_t, uint16_t, unsigned, i16)
FERRULE_SIGNED(int32_t, uint32_t, uint32_t, i32)
FERRULE_SIGNED(int64_t, uint64_t, uint64_t, i64)
FERRULE_UNSIGNED(uint8_t, 8, unsigned, u8)
FERRULE_UNSIGNED(uint16_t, 16, unsigned, u16)
FERRULE_UNSIGNED(uint32_t, 32, uint32_t, u32)
FERRULE_UNSIGNED(uint64_t, 64, uint64_t, u64)

#ifdef FERRULE_SHORT_TIME
FERRULE_SIGNED(ferrule_time, uint32_t, uint32_t, time)
#else
FERRULE_SIGNED(ferrule_time, uint64_t, uint64_t, time)
#endif
static inline int64_t time_ns(ferrule_time a) { return mul_i64(a, FERRULE_TICK_NS); }
static inline ferrule_time ns_time(int64_t ns) { return (ferrule_time)(ns / FERRULE_TICK_NS); }
#define TIME_NS(ns) ((ferrule_time)(INT64_C(ns) / FERRULE_TICK_NS))

FERRULE_COMPARE(bool, bool)
static inline bool min_bool(bool a, bool b) { return a && b; }
static inline bool max_bool(bool a, bool b) { return a || b; }
/* A BOOL is shifted as the lowest bit of a byte. */
static inline bool shl_bool(bool a, int64_t n) { return n == 0 && a; }
static inline bool shr_bool(bool a, int64_t n) { return n == 0 && a; }
static inline bool rol_bool(bool a, int64_t n) { return (n & 7) == 0 && a; }
static inline bool ror_bool(bool a, int64_t n) { return (n & 7) == 0 && a; }

/* ---- Reals: IEEE 754; to whole numbers by the nearest, even where two are as near, and never past the ends -------- */

#define FERRULE_REAL(type, name, root) \
  FERRULE_COMPARE(type, name) \
  static inline type abs_##name(type a) { return a < 0 || (a == 0 && signbit(a)) ? -a : a; } \
  static inline type sqrt_##name(type a) { return root(a); } \
  static inline type min_##name(type a, type b) { \
    return a != a ? a : b != b ? b : a < b || (a == b && signbit(a)) ? a : b; \
  } \
  static inline type max_##name(type a, type b) { \
    return a != a ? a : b != b ? b : a > b || (a == b && !signbit(a)) ? a : b; \
  }
FERRULE_REAL(float, f32, sqrtf)
#ifndef FERRULE_NO_DOUBLE
FERRULE_REAL(double, f64, sqrt)
#define FERRULE_DOUBLE double
#else
#define FERRULE_DOUBLE float
#endif

int64_t nearest_i64(FERRULE_DOUBLE a);
uint64_t nearest_u64(FERRULE_DOUBLE a);
int64_t cut_i64(FERRULE_DOUBLE a);
uint64_t cut_u64(FERRULE_DOUBLE a);

static inline float bits_i32_f32(int32_t a) { float r; memcpy(&r, &a, sizeof r); return r; }
#ifndef FERRULE_NO_DOUBLE
static inline double bits_i64_f64(int64_t a) { double r; memcpy(&r, &a, sizeof r); return r; }
static inline int64_t bits_f64_i64(double a) { int64_t r; memcpy(&r, &a, sizeof r); return r; }
#endif

/* ---- Bytes in another order, packed decimals, the calendar --------------------------------------------------------- */

#define FERRULE_SWAP(type, name) \
  static inline type swap_##name(type a) { \
    uint8_t from[sizeof a], to[sizeof a]; \
    memcpy(from, &a, sizeof a); \
    for (size_t i = 0; i < sizeof a; i++) to[i] = from[sizeof a - 1 - i]; \
    memcpy(&a, to, sizeof a); \
    return a; \
  }
FERRULE_SWAP(bool, bool)
FERRULE_SWAP(int8_t, i8)
FERRULE_SWAP(uint8_t, u8)
FERRULE_SWAP(int16_t, i16)
FERRULE_SWAP(uint16_t, u16)
FERRULE_SWAP(int32_t, i32)
FERRULE_SWAP(uint32_t, u32)
FERRULE_SWAP(int64_t, i64)
FERRULE_SWAP(uint64_t, u64)
FERRULE_SWAP(ferrule_time, time)
FERRULE_SWAP(float, f32)
#ifndef FERRULE_NO_DOUBLE
FERRULE_SWAP(double, f64)
#endif

bool is_bcd(uint64_t a);
uint64_t from_bcd(uint64_t a);
uint64_t to_bcd(uint64_t a);
/* Days since 1970-01-01 of a date, and a date as year * 10000 + month * 100 + day. */
int64_t days(int64_t year, int64_t month, int64_t day);
int64_t civil(int64_t days_since_1970);

/* ---- Values that share their memory with others: bytes, lowest first ----------------------------------------------- */

static inline bool get_bit(const uint8_t *at, uint8_t bit) { return (*at >> bit) & 1; }
static inline void put_bit(uint8_t *at, uint8_t bit, bool a) {
  *at = (uint8_t)((*at & ~(1u << bit)) | ((unsigned)a << bit));
}
static inline bool get_bool(const uint8_t *at) { return *at != 0; }
static inline void put_bool(uint8_t *at, bool a) { *at = a; }
#define FERRULE_BYTES(type, bits, name) \
  static inline type get_##name(const uint8_t *at) { \
    bits a = 0; \
    for (size_t i = sizeof a; i > 0; i--) a = (bits)((uint64_t)a << 8 | at[i - 1]); \
    type r; \
    memcpy(&r, &a, sizeof r); \
    return r; \
  } \
  static inline void put_##name(uint8_t *at, type r) { \
    bits a; \
    memcpy(&a, &r, sizeof a); \
    for (size_t i = 0; i < sizeof a; i++) at[i] = (uint8_t)((uint64_t)a >> (8 * i)); \
  }
FERRULE_BYTES(int8_t, uint8_t, i8)
FERRULE_BYTES(uint8_t, uint8_t, u8)
FERRULE_BYTES(int16_t, uint16_t, i16)
FERRULE_BYTES(uint16_t, uint16_t, u16)
FERRULE_BYTES(int32_t, uint32_t, i32)
FERRULE_BYTES(uint32_t, uint32_t, u32)
FERRULE_BYTES(int64_t, uint64_t, i64)
FERRULE_BYTES(uint64_t, uint64_t, u64)
#ifdef FERRULE_SHORT_TIME
FERRULE_BYTES(ferrule_time, uint32_t, time)
#else
FERRULE_BYTES(ferrule_time, uint64_t, time)
#endif
FERRULE_BYTES(float, uint32_t, f32)
#ifndef FERRULE_NO_DOUBLE
FERRULE_BYTES(double, uint64_t, f64)
#endif

/* ---- Instances whose class is known only in the run ---------------------------------------------------------------- */

/* The number of its class is the first thing in such an instance. */
static inline int32_t class_of(const void *instance) { return instance ? *(const int32_t *)instance : -1; }

/* ---- Text: its length, then its characters of one or two bytes (width). What does not fit is left off -------------- */

struct text {
  uint16_t length;
};
static inline void text_clear(void *to) { ((struct text *)to)->length = 0; }
static inline int32_t text_length(const void *text) { return ((const struct text *)text)->length; }
void text_assign(void *to, int32_t max, int width, const void *from);
/* Appends count characters from the place at (from 0), as far as there are any and they fit. */
void text_append(void *to, int32_t max, int width, const void *from, int32_t at, int32_t count);
int32_t text_compare(int width, const void *a, const void *b);
/* Place of the first occurrence from 1, 0 without one. */
int32_t text_find(int width, const void *in, const void *what);
void text_from_int(void *to, int32_t max, int width, int64_t value, bool is_unsigned);
int64_t text_to_int(int width, const void *from);
void text_from_char(void *to, int32_t max, int width, int32_t character);
int32_t text_first(int width, const void *from);
/* The same characters in the other width. */
void text_width(void *to, int32_t max, int width, int from_width, const void *from);
/* Any other elementary value and its characters, in ferrule_text.c; kind is the number of its type. */
void text_write(void *to, int32_t max, int width, int kind, int64_t bits);
int64_t text_read(int kind, int width, const void *from);

/* ---- Functions of reals, in ferrule_math.c: the same bits on every machine ------------------------------------------ */

#ifndef FERRULE_NO_DOUBLE
double ferrule_sin(double x);
double ferrule_cos(double x);
double ferrule_tan(double x);
double ferrule_asin(double x);
double ferrule_acos(double x);
double ferrule_atan(double x);
double ferrule_atan2(double y, double x);
double ferrule_exp(double x);
double ferrule_log(double x);
double ferrule_log10(double x);
double ferrule_pow(double x, double y);
#endif

#endif
`;
