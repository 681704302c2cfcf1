/** `trace.c`: the logic in C run as `ferrule run` runs it: the same options, the same bytes, the same exit codes. */
export const TRACE_H = String.raw`/* Names and places of the program, for who asks by name. */
#ifndef TRACE_H
#define TRACE_H
#include "ferrule_text.h"

struct value { const char *name; int64_t value; };
struct type;
struct member { const char *name; const struct type *type; size_t offset; };
struct type {
  const char *text;
  uint8_t kind;
  uint8_t size;                  /* bytes of an elementary value */
  bool is_range;                 /* low and high are the limits of a subrange */
  int64_t low, high;
  uint32_t count;                /* characters of a text, dimensions of an array */
  uint32_t length;               /* elements of an array */
  size_t step;                   /* from one to the next */
  const struct type *element;
  const int32_t *bounds;         /* low and high of each dimension */
  const struct member *members;
  const struct value *values;    /* of an enumeration */
};
struct name { const char *name; const struct type *type; void *at; int8_t bit; uint8_t is_program; };
extern const struct name logic_names[];
struct place { const char *where; const char *text; uint8_t is_unsigned; };
extern const struct place logic_places[];

/* One value of the program. */
struct spot { const struct type *type; uint8_t *at; int bit; };
/* Finds a name: a tag, Program.variable, a variable that only one program has; members and elements behind it. NULL, or why not. */
const char *find_spot(const char *path, struct spot *spot);
void format_spot(char *out, size_t size, const struct spot *spot);
/* NULL, or why the text is no value for it. */
const char *write_spot(const struct spot *spot, const char *text);
#endif
`;

export const TRACE_NAMES_C = String.raw`#include "trace.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>

static char why[400];
static const char *no(const char *what, const char *path) {
  snprintf(why, sizeof why, what, path);
  return why;
}
static bool same(const char *name, const char *text, size_t n) {
  for (size_t i = 0; i < n; i++)
    if (!name[i] || tolower((unsigned char)name[i]) != tolower((unsigned char)text[i])) return false;
  return name[n] == 0;
}
/* Bytes of a name at the beginning of a path; an address counts with its dots. */
static size_t word(const char *path) {
  size_t n = 0;
  if (path[0] == '%')
    while (path[n] && path[n] != '[' && !isspace((unsigned char)path[n])) n++;
  else
    while (isalnum((unsigned char)path[n]) || path[n] == '_' || (unsigned char)path[n] >= 0x80) n++;
  return n;
}

static const char *step(const char **path, const char *all, struct spot *spot) {
  const struct type *t = spot->type;
  const char *p = *path;
  if (*p == '[') {
    size_t index = 0;
    if (t->kind != KIND_ARRAY) return no("'%s': it has no elements there.", all);
    for (uint32_t d = 0; d < t->count; d++) {
      char *end;
      long n = strtol(p + 1, &end, 10);
      while (isspace((unsigned char)*end)) end++;
      if (end == p + 1 || *end != (d + 1 < t->count ? ',' : ']')) return no("'%s': another number of dimensions.", all);
      if (n < t->bounds[2 * d] || n > t->bounds[2 * d + 1]) return no("'%s': an index is outside the array.", all);
      index = index * (size_t)(t->bounds[2 * d + 1] - t->bounds[2 * d] + 1) + (size_t)(n - t->bounds[2 * d]);
      p = end;
    }
    *path = p + 1;
    spot->type = t->element;
    spot->at += index * t->step;
    return NULL;
  }
  if (*p == '.') p++;
  size_t n = word(p);
  if (!n) return no("'%s' is not a name.", all);
  *path = p + n;
  if (isdigit((unsigned char)*p)) {
    static const struct type BOOL_TYPE = {.text = "BOOL", .kind = KIND_BOOL, .size = 1};
    unsigned bit = (unsigned)atoi(p);
    if (t->kind < KIND_BYTE || t->kind > KIND_ULINT || t->values || bit >= t->size * 8u) return no("'%s': there is no such bit.", all);
    spot->type = &BOOL_TYPE;
    spot->at += bit / 8;
    spot->bit = (int)(bit % 8);
    return NULL;
  }
  for (const struct member *m = t->members; m && m->name; m++)
    if (same(m->name, p, n)) {
      spot->type = m->type;
      spot->at += m->offset;
      return NULL;
    }
  return no("'%s': there is no such member.", all);
}

const char *find_spot(const char *path, struct spot *spot) {
  const char *p = path;
  size_t n = word(p);
  const struct name *found = NULL;
  size_t used = 0;
  if (!n) return no("'%s' is not a name; write for example Batch.Flags.2 or Valve[3].Open.", path);
  if (p[n] == '.') {
    size_t both = n + 1 + word(p + n + 1);
    for (const struct name *x = logic_names; x->name; x++)
      if (same(x->name, p, both)) { found = x; used = both; }
  }
  for (const struct name *x = logic_names; !found && x->name; x++)
    if (same(x->name, p, n)) { found = x; used = n; }
  if (found) *spot = (struct spot){found->type, found->at, found->bit};
  else {
    /* Bare where only one program has it. */
    int hits = 0;
    for (const struct name *x = logic_names; x->name; x++) {
      if (!x->is_program) {
        const char *dot = strchr(x->name, '.');
        if (dot && same(dot + 1, p, n)) { hits++; *spot = (struct spot){x->type, x->at, x->bit}; }
        continue;
      }
      for (const struct member *m = x->type->members; m && m->name; m++)
        if (same(m->name, p, n)) { hits++; *spot = (struct spot){m->type, (uint8_t *)x->at + m->offset, -1}; }
    }
    if (hits > 1) return no("'%s' is in several programs; write Program.variable.", path);
    if (!hits) return no("There is no tag '%s'.", path);
    used = n;
  }
  for (p += used; *p;) {
    const char *error = step(&p, path, spot);
    if (error) return error;
  }
  return NULL;
}

static int64_t whole(const struct spot *s) {
  switch (s->type->kind) {
    case KIND_BOOL: return s->bit >= 0 ? get_bit(s->at, (uint8_t)s->bit) : get_bool(s->at);
    case KIND_SINT: return get_i8(s->at);
    case KIND_INT: return get_i16(s->at);
    case KIND_DINT: return get_i32(s->at);
    case KIND_BYTE: case KIND_USINT: case KIND_CHAR: return get_u8(s->at);
    case KIND_WORD: case KIND_UINT: case KIND_WCHAR: return get_u16(s->at);
    case KIND_DWORD: case KIND_UDINT: return get_u32(s->at);
    default: return get_i64(s->at);
  }
}
static size_t utf8(char *out, uint32_t c) {
  if (c < 0x80) { out[0] = (char)c; return 1; }
  if (c < 0x800) { out[0] = (char)(0xc0 | c >> 6); out[1] = (char)(0x80 | (c & 63)); return 2; }
  out[0] = (char)(0xe0 | c >> 12); out[1] = (char)(0x80 | (c >> 6 & 63)); out[2] = (char)(0x80 | (c & 63));
  return 3;
}
void format_spot(char *out, size_t size, const struct spot *s) {
  const struct type *t = s->type;
  int kind = t->kind;
  if (kind == KIND_STRING || kind == KIND_WSTRING) {
    size_t n = 0;
    for (int32_t i = 0; i < text_length(s->at) && n + 4 < size; i++)
      n += utf8(out + n, kind == KIND_STRING ? s->at[2 + i] : get_u16(s->at + 2 + 2 * i));
    out[n] = 0;
    return;
  }
  if (kind == KIND_REAL) { format_real(out, (double)get_f32(s->at), true); return; }
  if (kind == KIND_LREAL) { format_real(out, get_f64(s->at), false); return; }
  int64_t v = kind == KIND_TIME || kind == KIND_LTIME ? time_ns(get_time(s->at)) : whole(s);
  for (const struct value *x = t->values; x && x->name; x++)
    if (x->value == v) { snprintf(out, size, "%s", x->name); return; }
  if (kind == KIND_TIME || kind == KIND_LTIME) format_ms(out, v);
  else if (kind >= KIND_DATE && kind <= KIND_LDT) format_date(out, kind, v);
  else if (kind == KIND_CHAR || kind == KIND_WCHAR) out[utf8(out, (uint32_t)v)] = 0;
  else if (kind == KIND_LWORD || kind == KIND_ULINT) snprintf(out, size, "%llu", (unsigned long long)v);
  else snprintf(out, size, "%lld", (long long)v);
}

static void put(const struct spot *s, int64_t v) {
  switch (s->type->kind) {
    case KIND_BOOL:
      if (s->bit >= 0) put_bit(s->at, (uint8_t)s->bit, v != 0);
      else put_bool(s->at, v != 0);
      return;
    case KIND_SINT: case KIND_BYTE: case KIND_USINT: case KIND_CHAR: put_u8(s->at, (uint8_t)v); return;
    case KIND_INT: case KIND_WORD: case KIND_UINT: case KIND_WCHAR: put_u16(s->at, (uint16_t)v); return;
    case KIND_DINT: case KIND_DWORD: case KIND_UDINT: put_u32(s->at, (uint32_t)v); return;
    case KIND_TIME: case KIND_LTIME: put_time(s->at, ns_time(v)); return;
    default: put_u64(s->at, (uint64_t)v);
  }
}
static bool one_of(const char *text, const char *list) {
  size_t n = strlen(text);
  for (const char *p = list; *p; p += strcspn(p, " "), p += *p == ' ')
    if (strcspn(p, " ") == n) {
      size_t i = 0;
      while (i < n && toupper((unsigned char)text[i]) == p[i]) i++;
      if (i == n && n) return true;
    }
  return false;
}
static uint32_t next_character(const unsigned char **p) {
  uint32_t c = *(*p)++;
  if (c >= 0xf0 && **p) { c &= 7; for (int i = 0; i < 3 && **p; i++) c = c << 6 | (*(*p)++ & 63u); }
  else if (c >= 0xe0 && **p) { c &= 15; for (int i = 0; i < 2 && **p; i++) c = c << 6 | (*(*p)++ & 63u); }
  else if (c >= 0xc0 && **p) c = (c & 31) << 6 | (*(*p)++ & 63u);
  return c;
}
static const char *write_text(const struct spot *s, const char *text) {
  size_t bytes = strlen(text);
  if (bytes >= 2 && (text[0] == '\'' || text[0] == '"') && text[bytes - 1] == text[0]) { text++; bytes -= 2; }
  const unsigned char *p = (const unsigned char *)text, *end = p + bytes;
  uint32_t n = 0;
  /* First whether it fits, then the characters; behind them nothing stays. */
  for (const unsigned char *q = p; q < end; n++) next_character(&q);
  if (n > s->type->count) return no("'%s' has more characters than fit.", text);
  int width = s->type->kind == KIND_STRING ? 1 : 2;
  memset(s->at, 0, 2 + s->type->count * (size_t)width);
  put_u16(s->at, (uint16_t)n);
  for (uint32_t i = 0; i < n; i++) {
    uint32_t c = next_character(&p);
    if (width == 1) s->at[2 + i] = (uint8_t)c;
    else put_u16(s->at + 2 + 2 * i, (uint16_t)c);
  }
  return NULL;
}

const char *write_spot(const struct spot *s, const char *text) {
  const struct type *t = s->type;
  int kind = t->kind;
  if (kind == KIND_STRING || kind == KIND_WSTRING) return write_text(s, text);
  if (kind >= KIND_ARRAY) return no("%s cannot be written as a whole; write its members.", t->text);
  char c[256];
  size_t n = strlen(text);
  while (n && isspace((unsigned char)text[n - 1])) n--;
  while (n && isspace((unsigned char)*text)) { text++; n--; }
  if (n >= sizeof c) return no("'%s' is too long.", text);
  memcpy(c, text, n);
  c[n] = 0;
  const char *hash = strchr(c, '#');
  size_t letters = 0;
  while (isalpha((unsigned char)c[letters])) letters++;
  const char *plain = letters && c[letters] == '#' && c[letters + 1] ? c + letters + 1 : c;
  int64_t v;
  if (kind == KIND_BOOL) {
    if (one_of(c, "1 TRUE ON BOOL#1 BOOL#TRUE")) put(s, 1);
    else if (one_of(c, "0 FALSE OFF BOOL#0 BOOL#FALSE")) put(s, 0);
    else return no("'%s' is not a BOOL; write 0 or 1.", c);
    return NULL;
  }
  if (kind >= KIND_DATE && kind <= KIND_LDT) {
    if (!parse_date(hash ? hash + 1 : c, kind, &v)) return no("'%s' is not a date or time of day.", c);
    put(s, v);
    return NULL;
  }
  if (kind == KIND_CHAR || kind == KIND_WCHAR) {
    const unsigned char *p = (const unsigned char *)c;
    if (n >= 3 && (c[0] == '\'' || c[0] == '"') && c[n - 1] == c[0]) { c[n - 1] = 0; p++; }
    put(s, (int64_t)next_character(&p));
    return *p ? no("'%s' is not one character.", c) : NULL;
  }
  for (const struct value *x = t->values; x && x->name; x++) {
    const char *name = hash ? hash + 1 : c;
    if (same(x->name, name, strlen(name))) { put(s, x->value); return NULL; }
  }
  if (kind == KIND_TIME || kind == KIND_LTIME) {
    const char *body = plain;
    bool has_unit = plain != c;
    for (const char *p = c; *p; p++)
      if (isalpha((unsigned char)*p)) has_unit = true;
    if (has_unit) {
      char packed[256], *to = packed;
      for (const char *p = body; *p; p++)
        if (!isspace((unsigned char)*p)) *to++ = *p;
      *to = 0;
      if (to - packed > 3 && !strcmp(to - 3, "min")) to[-2] = 0;
      if (!parse_duration(packed, &v)) return no("'%s' is not a duration; write for example 300 ms or T#3s.", c);
      put(s, v);
      return NULL;
    }
    char ms[260];
    snprintf(ms, sizeof ms, "%sms", c);
    if (!parse_duration(ms, &v)) return no("'%s' is not a duration; write for example 300 ms or T#3s.", c);
    put(s, v);
    return NULL;
  }
  if (kind == KIND_REAL || kind == KIND_LREAL) {
    double d;
    if (one_of(c, "INFINITY")) d = INFINITY;
    else if (one_of(c, "-INFINITY")) d = -INFINITY;
    else if (one_of(c, "NAN")) d = NAN;
    else {
      char number[256], *to = number, *end;
      for (const char *p = plain; *p; p++)
        if (*p != '_') *to++ = *p;
      *to = 0;
      for (const char *p = number; *p; p++)
        if (!isdigit((unsigned char)*p) && !strchr("+-.eE", *p)) return no("'%s' is not a number.", c);
      d = strtod(number, &end);
      if (end == number || *end) return no("'%s' is not a number.", c);
    }
    if (kind == KIND_REAL) put_f32(s->at, (float)d);
    else put_f64(s->at, d);
    return NULL;
  }
  bool minus = *plain == '-', is_signed = kind >= KIND_SINT && kind <= KIND_LINT;
  const char *p = plain + (*plain == '-' || *plain == '+');
  int radix = !strncmp(p, "2#", 2) ? 2 : !strncmp(p, "8#", 2) ? 8 : !strncmp(p, "16#", 3) ? 16 : 10;
  if (radix != 10 || !strncmp(p, "10#", 3)) p = strchr(p, '#') + 1;
  uint64_t u = 0;
  bool any = false;
  for (; *p; p++) {
    if (*p == '_') continue;
    int digit = isdigit((unsigned char)*p) ? *p - '0' : isalpha((unsigned char)*p) ? tolower((unsigned char)*p) - 'a' + 10 : 99;
    if (digit >= radix || u > (UINT64_MAX - (uint64_t)digit) / (uint64_t)radix) return no("'%s' is not a whole number that fits.", c);
    u = u * (uint64_t)radix + (uint64_t)digit;
    any = true;
  }
  if (!any) return no("'%s' is not a whole number.", c);
  unsigned bits = t->size * 8u;
  bool fits;
  if (is_signed) {
    uint64_t most = UINT64_C(1) << (bits - 1);
    fits = minus ? u <= most : u < most;
  } else fits = (!minus || u == 0) && (bits == 64 || u < UINT64_C(1) << bits);
  v = (int64_t)(minus ? 0 - u : u);
  if (fits && t->is_range) fits = is_signed ? v >= t->low && v <= t->high : u >= (uint64_t)t->low && u <= (uint64_t)t->high;
  if (!fits) return no("%s is outside its type.", c);
  put(s, v);
  return NULL;
}
`;

export const TRACE_C = String.raw`/* The logic run offline in simulated time, as ferrule run does it. */
#ifdef FERRULE_MACHINE
#include "machine.h"
#else
#include "logic.h"
#endif
#include "trace.h"

#include <ctype.h>
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>

static _Noreturn void usage(const char *option, const char *why) {
  fprintf(stderr, "%s: %s\n", option, why);
  exit(2);
}
static char *copy_of(const char *text, size_t n) {
  char *c = malloc(n + 1);
  if (!c) usage("trace", "out of memory.");
  memcpy(c, text, n);
  c[n] = 0;
  return c;
}
static void *more(void *list, size_t count, size_t size) {
  if (count & (count - 1)) return list;
  void *grown = realloc(list, (count ? 2 * count : 1) * size);
  if (!grown) usage("trace", "out of memory.");
  return grown;
}
static int64_t duration(const char *option, const char *text) {
  static const struct type TIME_TYPE = {.text = "TIME", .kind = KIND_TIME, .size = 8};
  uint8_t bytes[8];
  struct spot s = {&TIME_TYPE, bytes, -1};
  if (strspn(text, "0123456789.") == strlen(text)) usage(option, "the number has no unit; write for example 10ms.");
  const char *error = write_spot(&s, text);
  if (error) usage(option, error);
  return get_i64(bytes);
}

/* One row of the stimulus: a time and a value for some of the columns. */
struct row { int64_t ns; char **cells; size_t count; size_t order; };
static int earlier(const void *a, const void *b) {
  const struct row *x = a, *y = b;
  return x->ns != y->ns ? (x->ns < y->ns ? -1 : 1) : x->order < y->order ? -1 : x->order > y->order;
}
/* Cells of a line of CSV (RFC 4180); quoted ones may go over several lines. */
static char **read_line(FILE *file, size_t *count) {
  char **cells = NULL, *cell = NULL;
  size_t n = 0, length = 0;
  bool quoted = false, any = false;
  for (int c = fgetc(file);; c = fgetc(file)) {
    if (c == EOF && !any) break;
    any = true;
    if (quoted && c == '"') {
      c = fgetc(file);
      if (c != '"') { quoted = false; ungetc(c, file); continue; }
    } else if (!quoted && c == '"' && length == 0) { quoted = true; continue; }
    else if (c == EOF || (!quoted && (c == ',' || c == '\n' || c == '\r'))) {
      cells = more(cells, n, sizeof *cells);
      cells[n++] = copy_of(cell ? cell : "", length);
      length = 0;
      if (c == '\r') { c = fgetc(file); if (c != '\n') ungetc(c, file); c = '\n'; }
      if (c != ',') break;
      continue;
    }
    cell = more(cell, length, 1);
    cell[length++] = (char)c;
  }
  free(cell);
  *count = n;
  return cells;
}

/* A value that is none ends the run before anything is computed: tried, and what was there put back. */
static const char *try_spot(const struct spot *s, const char *text) {
  size_t n = s->type->kind == KIND_STRING || s->type->kind == KIND_WSTRING ? 2 + 2 * (size_t)s->type->count : 8;
  if (s->type->kind < KIND_STRING) n = s->bit >= 0 ? 1 : s->type->size;
  else if (s->type->kind == KIND_STRING) n = 2 + (size_t)s->type->count;
  char *before = copy_of((const char *)s->at, n);
  const char *error = write_spot(s, text);
  memcpy(s->at, before, n);
  free(before);
  return error;
}
static struct spot *columns;
static size_t column_count;
static struct row *rows;
static size_t row_count;
static void read_stimulus(const char *path) {
  FILE *file = fopen(path, "rb");
  char why[600];
  size_t n, line = 1;
  if (!file) usage(path, "cannot be read.");
  int c = fgetc(file);
  if (c == 0xef) { fgetc(file); fgetc(file); } else if (c != EOF) ungetc(c, file);
  char **header = read_line(file, &n);
  if (!n || strcmp(header[0], "t_ms") != 0) usage(path, "line 1: the header must start with 't_ms'.");
  columns = malloc(n * sizeof *columns);
  for (column_count = 1; column_count < n; column_count++) {
    char *name = header[column_count];
    while (isspace((unsigned char)*name)) name++;
    for (size_t end = strlen(name); end && isspace((unsigned char)name[end - 1]); end--) name[end - 1] = 0;
    const char *error = find_spot(name, &columns[column_count - 1]);
    if (error) usage(path, error);
  }
  for (;;) {
    size_t count;
    char **cells = read_line(file, &count);
    line++;
    if (!cells) break;
    if (count == 1 && !*cells[0]) continue;
    char ms[64];
    struct row r = {0, cells, count, row_count};
    snprintf(ms, sizeof ms, "%sms", cells[0]);
    if (!isdigit((unsigned char)*cells[0]) || !parse_duration(ms, &r.ns)) {
      snprintf(why, sizeof why, "line %zu: '%s' is not a time in milliseconds.", line, cells[0]);
      usage(path, why);
    }
    if (count > n) {
      snprintf(why, sizeof why, "line %zu: %zu cells, but the header has %zu.", line, count, n);
      usage(path, why);
    }
    for (size_t i = 1; i < count; i++) {
      const char *error = *cells[i] ? try_spot(&columns[i - 1], cells[i]) : NULL;
      if (!error) continue;
      snprintf(why, sizeof why, "line %zu, %s: %s", line, header[i], error);
      usage(path, why);
    }
    rows = more(rows, row_count, sizeof *rows);
    rows[row_count++] = r;
  }
  fclose(file);
  if (row_count) qsort(rows, row_count, sizeof *rows, earlier);
}
static void apply(const struct row *r) {
  for (size_t i = 1; i < r->count; i++) {
    if (!*r->cells[i]) continue;
    const char *error = write_spot(&columns[i - 1], r->cells[i]);
    if (error) usage("--stimulus", error);
  }
}

struct column { char *name; struct spot spot; char *last; };
static struct column *record;
static size_t record_count;
static void read_record(const char *list) {
  int depth = 0;
  const char *from = list;
  for (const char *p = list;; p++) {
    if (*p == '[') depth++;
    if (*p == ']') depth--;
    if (*p && (*p != ',' || depth)) continue;
    const char *a = from, *b = p;
    while (a < b && isspace((unsigned char)*a)) a++;
    while (b > a && isspace((unsigned char)b[-1])) b--;
    if (a < b) {
      struct column c = {copy_of(a, (size_t)(b - a)), {NULL, NULL, -1}, NULL};
      const char *error = find_spot(c.name, &c.spot);
      if (error) usage("--record", error);
      if (c.spot.type->kind >= KIND_ARRAY) usage("--record", "a structure or array has no single value; name its members.");
      record = more(record, record_count, sizeof *record);
      record[record_count++] = c;
    } else if (*list) usage("--record", "a name is missing between commas.");
    from = p + 1;
    if (!*p) return;
  }
}

static void put_cell(FILE *out, const char *cell) {
  if (!strpbrk(cell, "\",\r\n")) { fputs(cell, out); return; }
  fputc('"', out);
  for (; *cell; cell++) {
    if (*cell == '"') fputc('"', out);
    fputc(*cell, out);
  }
  fputc('"', out);
}
static void csv_row(FILE *out, int64_t now) {
  static char cell[140000];
  format_ms(cell, now);
  fputs(cell, out);
  for (size_t i = 0; i < record_count; i++) {
    fputc(',', out);
    format_spot(cell, sizeof cell, &record[i].spot);
    put_cell(out, cell);
  }
  fputc('\n', out);
}

/* Value change dump (IEEE 1364, clause 18). */
static void vcd_code(FILE *out, size_t i) {
  if (i >= 94) vcd_code(out, i / 94 - 1);
  fputc((int)(33 + i % 94), out);
}
static unsigned vcd_width(const struct type *t) { return t->kind == KIND_BOOL ? 1 : t->size * 8u; }
static void vcd_header(FILE *out) {
  fputs("$version Ferrule $end\n$timescale 1 ns $end\n$scope module ferrule $end\n", out);
  for (size_t i = 0; i < record_count; i++) {
    const struct type *t = record[i].spot.type;
    if (t->kind == KIND_REAL || t->kind == KIND_LREAL) fputs("$var real 64 ", out);
    else if (t->kind == KIND_STRING || t->kind == KIND_WSTRING) fputs("$var string 1 ", out);
    else fprintf(out, "$var wire %u ", vcd_width(t));
    vcd_code(out, i);
    fputc(' ', out);
    for (const char *p = record[i].name; *p; p++)
      if (!isspace((unsigned char)*p)) fputc(*p, out);
    fputs(" $end\n", out);
  }
  fputs("$upscope $end\n$enddefinitions $end\n", out);
}
static void vcd_value(char *value, size_t size, const struct spot *s) {
  const struct type *t = s->type;
  struct type plain = *t;
  struct spot as_number = {&plain, s->at, s->bit};
  if (t->kind == KIND_STRING || t->kind == KIND_WSTRING) {
    value[0] = 's';
    format_spot(value + 1, size - 1, s);
    for (char *p = value; *p; p++)
      if (isspace((unsigned char)*p)) *p = '_';
    return;
  }
  if (t->kind == KIND_REAL || t->kind == KIND_LREAL) {
    double d = t->kind == KIND_REAL ? (double)get_f32(s->at) : get_f64(s->at);
    value[0] = 'r';
    format_real(value + 1, d == 0 ? 0 : d, false);
    return;
  }
  plain.values = NULL;
  if (t->kind == KIND_BOOL) { format_spot(value, size, &as_number); return; }
  uint64_t v = 0;
  memcpy(&v, s->at, t->size);
  char *to = value;
  *to++ = 'b';
  int top = 63;
  while (top > 0 && !(v >> top & 1)) top--;
  for (; top >= 0; top--) *to++ = (char)('0' + (v >> top & 1));
  *to = 0;
}
static void vcd_row(FILE *out, int64_t now) {
  static char value[140000];
  bool begun = false;
  for (size_t i = 0; i < record_count; i++) {
    struct column *c = &record[i];
    vcd_value(value, sizeof value, &c->spot);
    if (c->last && strcmp(c->last, value) == 0) continue;
    free(c->last);
    c->last = copy_of(value, strlen(value));
    if (!begun) fprintf(out, "#%lld\n", (long long)now);
    begun = true;
    fputs(value, out);
    if (c->spot.type->kind != KIND_BOOL) fputc(' ', out);
    vcd_code(out, i);
    fputc('\n', out);
  }
}

static bool same_ending(const char *path, const char *ending) {
  size_t n = strlen(path), m = strlen(ending);
  if (n <= m) return false;
  for (size_t i = 0; i < m; i++)
    if (tolower((unsigned char)path[n - m + i]) != ending[i]) return false;
  return true;
}
/* A scan, with the machine where there is one. */
static bool run_scan(void) {
#ifdef FERRULE_MACHINE
  ferrule.budget = ferrule.watchdog;
  if (!ferrule_guard(machine_scan)) return false;
  ferrule.now = (ferrule_time)(ferrule.now + ferrule.step);
  return true;
#else
  return ferrule_scan();
#endif
}
static void say_fault(void) {
  const struct place *p = &logic_places[ferrule.place];
  char ms[LONGEST_VALUE], value[32];
  format_ms(ms, (int64_t)ferrule.now * FERRULE_TICK_NS);
  if (p->is_unsigned) snprintf(value, sizeof value, "%llu", (unsigned long long)ferrule.value);
  else snprintf(value, sizeof value, "%lld", (long long)ferrule.value);
  fprintf(stderr, "fault: %s: ", p->where);
  switch (ferrule.fault) {
    case FAULT_INDEX: fprintf(stderr, "The index '%s' is %s, outside the array.", p->text, value); break;
    case FAULT_DIVISION: fprintf(stderr, "Division by zero in '%s': the number on the left is %s.", p->text, value); break;
    case FAULT_NULL: fprintf(stderr, "The reference in '%s' is NULL: it stands for nothing yet.", p->text); break;
    case FAULT_RANGE: fprintf(stderr, "The value of '%s' is %s, outside the subrange that it is assigned to.", p->text, value); break;
    case FAULT_DEPTH:
      fprintf(stderr, "'%s' has come back to itself more than 64 deep: is the chain of instances closed to a ring?", p->text);
      break;
    default:
      fprintf(stderr, "A loop ran past the watchdog of %lu passes in one scan.", (unsigned long)ferrule.watchdog);
  }
  fprintf(stderr, " (t_ms=%s)\n", ms);
}

int main(int count, char **args) {
  int64_t step = LOGIC_STEP_NS, length = 0;
  const char *out_path = "-", *stimulus = NULL, *names = "";
  bool last_only = false;
  for (int i = 1; i < count; i++) {
    const char *option = args[i], *value = i + 1 < count ? args[i + 1] : NULL;
    if (!strcmp(option, "--record-last")) { last_only = true; continue; }
    if (!value) usage(option, "an unknown option, or its value is missing; --scan, --for, --stimulus, --record, --out, --watchdog, --record-last.");
    i++;
    if (!strcmp(option, "--scan")) {
      step = duration(option, value);
      if (step <= 0) usage(option, "the duration must be above zero.");
    } else if (!strcmp(option, "--for")) {
      length = duration(option, value);
      if (length < 0) usage(option, "the duration must be above zero.");
    } else if (!strcmp(option, "--stimulus")) stimulus = value;
    else if (!strcmp(option, "--record")) names = value;
    else if (!strcmp(option, "--out")) out_path = value;
    else if (!strcmp(option, "--watchdog") || !strcmp(option, "--seed")) {
      if (!*value || strspn(value, "0123456789") != strlen(value) || strlen(value) > 9) usage(option, "it is not a whole number.");
      if (!strcmp(option, "--watchdog")) ferrule.watchdog = (uint32_t)strtoul(value, NULL, 10);
    } else usage(option, "an unknown option; --scan, --for, --stimulus, --record, --out, --watchdog, --record-last.");
  }
  bool vcd = same_ending(out_path, ".vcd");
  if (strcmp(out_path, "-") != 0 && !vcd && !same_ending(out_path, ".csv")) usage("--out", "it ends in no form that is written; write .csv, .vcd or -.");
  read_record(names);
  ferrule_start((ferrule_time)(step / FERRULE_TICK_NS));
  if (stimulus) read_stimulus(stimulus);
  FILE *out = strcmp(out_path, "-") == 0 ? stdout : fopen(out_path, "wb");
  if (!out) usage("--out", "it cannot be written.");
#ifdef FERRULE_MACHINE
  ferrule_guard(machine_start);
#endif
  if (vcd) vcd_header(out);
  else {
    fputs("t_ms", out);
    for (size_t i = 0; i < record_count; i++) { fputc(',', out); put_cell(out, record[i].name); }
    fputc('\n', out);
  }
  int64_t scans = length / step + (length % step != 0);
  size_t next = 0;
  for (int64_t k = 0; k < scans; k++) {
    int64_t now = (int64_t)ferrule.now * FERRULE_TICK_NS;
    while (next < row_count && rows[next].ns <= now) apply(&rows[next++]);
    if (!run_scan()) {
      fflush(out);
      say_fault();
      return 3;
    }
    if (!last_only || k == scans - 1) {
      if (vcd) vcd_row(out, now);
      else csv_row(out, now);
    }
  }
  return fflush(out) || ferror(out) ? 2 : 0;
}
`;
