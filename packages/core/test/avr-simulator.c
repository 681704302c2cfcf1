/*
 * Runs a firmware on a simulated ATmega328P and prints, after each scan, the cycle, the ports and the bytes of the state.
 * Arguments: firmware, address and size of the clock (it changes when a scan is over), address and size of the state,
 * scans, then inputs: cycle,port,bit,level ...
 */
#include <simavr/sim_avr.h>
#include <simavr/sim_elf.h>
#include <simavr/avr_ioport.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

int main(int count, char **args) {
  elf_firmware_t firmware = {0};
  uint8_t before[8] = {0};
  if (count < 7 || elf_read_firmware(args[1], &firmware) != 0) return 2;
  unsigned clock = (unsigned)strtoul(args[2], NULL, 0) & 0xffff, clock_size = (unsigned)atoi(args[3]);
  unsigned state = (unsigned)strtoul(args[4], NULL, 0) & 0xffff, state_size = (unsigned)atoi(args[5]);
  int scans = atoi(args[6]), next = 7;
  avr_t *avr = avr_make_mcu_by_name("atmega328p");
  if (!avr) return 2;
  avr_init(avr);
  avr->log = LOG_NONE;
  avr_load_firmware(avr, &firmware);
  avr->frequency = 16000000;
  for (int n = 0; n < scans;) {
    while (next < count) {
      unsigned long long at;
      char port;
      int bit, level;
      if (sscanf(args[next], "%llu,%c,%d,%d", &at, &port, &bit, &level) != 4) return 2;
      if (avr->cycle < at) break;
      avr_raise_irq(avr_io_getirq(avr, AVR_IOCTL_IOPORT_GETIRQ(port), bit), (uint32_t)level);
      next++;
    }
    int is = avr_run(avr);
    if (is == cpu_Done || is == cpu_Crashed) {
      printf("ended %d\n", is);
      return 1;
    }
    if (!memcmp(before, avr->data + clock, clock_size)) continue;
    n++;
    unsigned long long at = avr->cycle;
    /* The outputs are written a little later. */
    unsigned long long until = avr->cycle + 2000;
    while (avr->cycle < until && avr->state == cpu_Running) avr_run(avr);
    /* The clock is written byte by byte: only now it is whole. */
    memcpy(before, avr->data + clock, clock_size);
    printf("%llu %02x %02x %02x ", at, avr->data[0x25], avr->data[0x28], avr->data[0x2b]);
    for (unsigned i = 0; i < state_size; i++) printf("%02x", avr->data[state + i]);
    printf("\n");
  }
  return 0;
}
