/** What runs the logic on a board: the clock of its scans, inputs before, outputs after. */

/** \`main_avr.c\`: an ATmega328P, timer 1 counts the scans. */
export const MAIN_AVR_C = String.raw`/* The logic on an 8-bit board: timer 1 gives the beat of the scans. */
#include "logic.h"
#include "points.h"

#include <avr/eeprom.h>
#include <avr/interrupt.h>
#include <avr/io.h>
#include <avr/sleep.h>

#ifndef F_CPU
#define F_CPU 16000000UL
#endif
#define STEP_US (LOGIC_STEP_NS / 1000)
#if STEP_US * (F_CPU / 1000000) / 64 > 65535 || STEP_US < 200
#error "The timer of this board beats every 0.2 to 260 ms; choose another interval for the fastest task."
#endif

static volatile uint8_t beats;
ISR(TIMER1_COMPA_vect) {
  if (beats < 255) beats++;
}

int main(void) {
  points_begin();
  ferrule_start(TIME_NS(LOGIC_STEP_NS));
  retained_load();
  OCR1A = (uint16_t)(STEP_US * (F_CPU / 1000000) / 64 - 1);
  TCCR1A = 0;
  TCCR1B = (1 << WGM12) | (1 << CS11) | (1 << CS10); /* clear on compare, clock / 64 */
  TIMSK1 = 1 << OCIE1A;
  sei();
  for (;;) {
    points_read();
    if (ferrule_scan()) points_write();
    else points_rest(); /* a fault: outputs at rest until the board is started anew */
    retained_save();
    /* What was missed is made up for in time, not in scans. */
    cli();
    while (beats == 0) {
      sleep_enable();
      sei();
      sleep_cpu();
      cli();
    }
    for (beats--; beats; beats--) ferrule.now = add_time(ferrule.now, ferrule.step);
    sei();
  }
}
`;

/** Retained values in the board's EEPROM, each byte written only when it differs. */
export const RETAIN_AVR = String.raw`
#include <avr/eeprom.h>

/* A number that says what lies there: another program's bytes are left alone. */
void retained_load(void) {
  uint8_t *at = (uint8_t *)4;
  if (!retained[0].size || eeprom_read_dword((uint32_t *)0) != RETAINED_MARK) return;
  for (const struct retained *r = retained; r->size; at += r->size, r++) eeprom_read_block(r->at, at, r->size);
}
void retained_save(void) {
  /* One byte a scan at most: a write takes 3 ms, and the scan goes on meanwhile. */
  static const struct retained *r = retained;
  static uint16_t offset, at = 4;
  static bool whole;
  if (!retained[0].size || !eeprom_is_ready()) return;
  /* The mark comes when all bytes are there. */
  for (uint8_t n = 0; whole && n < 4; n++) {
    uint8_t byte = (uint8_t)(RETAINED_MARK >> (8 * n));
    if (eeprom_read_byte((uint8_t *)0 + n) == byte) continue;
    eeprom_write_byte((uint8_t *)0 + n, byte);
    return;
  }
  for (uint8_t n = 0; n < 16; n++) {
    uint8_t now = ((const uint8_t *)r->at)[offset], before = eeprom_read_byte((uint8_t *)(at + offset));
    uint16_t here = (uint16_t)(at + offset);
    if (++offset >= r->size) {
      at = (uint16_t)(at + r->size);
      offset = 0;
      r++;
      if (!r->size) {
        r = retained;
        at = 4;
        whole = true;
      }
    }
    if (now != before) {
      eeprom_write_byte((uint8_t *)here, now);
      return;
    }
  }
}
`;
export const RETAIN_NONE = String.raw`
/* Yours to fill where the board has memory that keeps: the table says what lies where. */
__attribute__((weak)) void retained_load(void) {}
__attribute__((weak)) void retained_save(void) {}
`;

/** \`main_arm.c\`: any Cortex-M; SysTick counts the scans. */
export const MAIN_ARM_C = String.raw`/* The logic on a Cortex-M: the system timer gives the beat of the scans. */
#include "logic.h"
#include "points.h"

#define SYST_CSR (*(volatile uint32_t *)0xE000E010)
#define SYST_RVR (*(volatile uint32_t *)0xE000E014)
#define SYST_CVR (*(volatile uint32_t *)0xE000E018)
#ifndef F_CPU
#define F_CPU 12000000
#endif
/* The timer has 24 bits: it beats every millisecond, and a scan is so many of them. */
#define BEATS ((uint32_t)(LOGIC_STEP_NS / 1000000))
#if LOGIC_STEP_NS % 1000000 != 0 || LOGIC_STEP_NS == 0
#error "The fastest task must have an interval of whole milliseconds on this target."
#endif

static volatile uint32_t beats;
void SysTick_Handler(void) { beats++; }

int main(void) {
  uint32_t next = 0;
  points_begin();
  points_rest();
  ferrule_start(TIME_NS(LOGIC_STEP_NS));
  retained_load();
  SYST_RVR = F_CPU / 1000 - 1;
  SYST_CVR = 0;
  SYST_CSR = 7;
  for (;;) {
    points_read();
    if (ferrule_scan()) points_write();
    else points_rest(); /* a fault: outputs at rest until the board is started anew */
    retained_save();
    next += BEATS;
    while ((int32_t)(beats - next) < 0) __asm__ volatile("wfi");
    /* What was missed is made up for in time, not in scans. */
    while (beats - next >= BEATS) {
      next += BEATS;
      ferrule.now = add_time(ferrule.now, ferrule.step);
    }
  }
}
`;

/** Vectors and start of a Cortex-M without a vendor's files. */
export const STARTUP_ARM_C = String.raw`/* Vectors, memory at the start, then main. */
#include <stdint.h>

extern uint32_t stack_top, data_start, data_end, data_load, bss_start, bss_end;
int main(void);
void SysTick_Handler(void);
void Reset_Handler(void);

static void stop(void) {
  for (;;) {}
}
void Reset_Handler(void) {
  const uint32_t *from = &data_load;
  for (uint32_t *to = &data_start; to < &data_end;) *to++ = *from++;
  for (uint32_t *to = &bss_start; to < &bss_end;) *to++ = 0;
  main();
  stop();
}
typedef void (*handler)(void);
__attribute__((section(".vectors"), used)) static const union {
  uint32_t *stack;
  handler run;
} vectors[] = {
  {.stack = &stack_top}, {.run = Reset_Handler}, {.run = stop}, {.run = stop}, {.run = stop}, {.run = stop}, {.run = stop},
  {.run = 0}, {.run = 0}, {.run = 0}, {.run = 0}, {.run = stop}, {.run = stop}, {.run = 0}, {.run = stop},
  {.run = SysTick_Handler},
};
`;
export const LINKER_ARM_LD = String.raw`/* Memory of your chip: change these two lines. */
MEMORY {
  FLASH (rx) : ORIGIN = 0x00000000, LENGTH = 256K
  RAM (rwx) : ORIGIN = 0x20000000, LENGTH = 64K
}
ENTRY(Reset_Handler)
SECTIONS {
  .text : { KEEP(*(.vectors)) *(.text*) *(.rodata*) . = ALIGN(4); } > FLASH
  .ARM.exidx : { *(.ARM.exidx*) } > FLASH
  data_load = LOADADDR(.data);
  .data : { data_start = .; *(.data*) . = ALIGN(4); data_end = .; } > RAM AT > FLASH
  .bss : { bss_start = .; *(.bss*) *(COMMON) . = ALIGN(4); bss_end = .; } > RAM
  stack_top = ORIGIN(RAM) + LENGTH(RAM);
}
`;

/** Vectors of `trace.elf`, which runs under an emulator: the C library's own start does the rest. */
export const TRACE_VECTORS_C = String.raw`/* Where the emulator begins: its stack, and the start of the C library. */
#include <stdint.h>

void _start(void);
__attribute__((section(".vectors"), used)) static const union {
  uint32_t stack;
  void (*run)(void);
} vectors[] = {
  {.stack = 0x00400000}, {.run = _start},
};
`;

/** `trace` on a Cortex-M: the same options, handed on to the emulator. */
export const TRACE_ARM_SH = String.raw`#!/bin/sh
# The logic on an emulated Cortex-M3, offline: the options of "ferrule run". Files are read and written here.
here=$(dirname "$0")
list=arg=trace
for a in "$@"; do list="$list,arg=$(printf %s "$a" | sed 's/,/,,/g')"; done
exec qemu-system-arm -M mps2-an385 -nographic -monitor none -serial none -semihosting-config "enable=on,target=native,$list" -kernel "$here/trace.elf"
`;
