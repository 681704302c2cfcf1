#!/usr/bin/env python3
"""Plays a gate for the project loading-gate.ferrule.json, over Modbus TCP: reads the motor's outputs, moves the gate,
and writes the limit switches, the light beam and the height. Type o to open, c to close, b to break the beam, q to end.

    python3 gate.py [address] [port]            by hand
    python3 gate.py --once [address] [port]     opens once by itself, and says how far it came

Nothing but Python is needed. Numbers are those of the mapping in Controller, Other programs.
"""
import select
import socket
import struct
import sys
import time

OPEN, CLOSE, TOP, BOTTOM, BEAM = 0, 1, 2, 3, 4  # coils
HEIGHT = 1  # holding register: %IW2 is word 1 of the inputs
UP, DOWN = 10000, 10001  # discrete inputs: %QX0.0 and %QX0.1
QUALITY = 65535  # on while the controller's scan runs

SPEED = 800  # mm a second
FULL = 3000  # mm


class Modbus:
    """One connection; each call is one request and its answer (Modbus application protocol, chapter 6)."""

    def __init__(self, host, port):
        self.socket = socket.create_connection((host, port), timeout=5)
        self.number = 0

    def ask(self, pdu):
        self.number = (self.number + 1) % 65536
        self.socket.sendall(struct.pack(">HHHB", self.number, 0, len(pdu) + 1, 1) + pdu)
        head = self.take(7)
        answer = self.take(struct.unpack(">H", head[4:6])[0] - 1)
        if answer[0] & 0x80:
            raise RuntimeError(f"function {pdu[0]} was refused, exception {answer[1]}: is the project downloaded?")
        return answer

    def take(self, count):
        data = b""
        while len(data) < count:
            more = self.socket.recv(count - len(data))
            if not more:
                raise ConnectionError("the controller closed the connection")
            data += more
        return data

    def inputs(self, first, count):
        bits = self.ask(struct.pack(">BHH", 2, first, count))[2:]
        return [bits[i // 8] >> (i % 8) & 1 == 1 for i in range(count)]

    def write_coils(self, first, values):
        packed = sum(1 << i for i, on in enumerate(values) if on)
        self.ask(struct.pack(">BHHBB", 15, first, len(values), 1, packed))

    def write_register(self, number, value):
        self.ask(struct.pack(">BHH", 6, number, value & 0xFFFF))


def main():
    once = "--once" in sys.argv
    words = [a for a in sys.argv[1:] if not a.startswith("--")]
    link = Modbus(words[0] if words else "127.0.0.1", int(words[1]) if len(words) > 1 else 1502)
    height, beam_clear, pressed, until = 0.0, True, None, 0.0
    before = began = time.monotonic()
    if once:
        pressed, until = OPEN, began + 0.5
    else:
        print("o opens, c closes, b breaks the beam or clears it, q ends; Enter behind each.")
    while True:
        now = time.monotonic()
        up, down = link.inputs(UP, 2)
        height = min(FULL, max(0, height + ((up - down) * SPEED * (now - before))))
        before = now
        if pressed is not None and now > until:
            pressed = None
        link.write_coils(OPEN, [pressed == OPEN, pressed == CLOSE, height >= FULL, height <= 0, beam_clear])
        link.write_register(HEIGHT, int(height))
        if not once:
            good = link.inputs(QUALITY, 1)[0]
            bar = "#" * round(30 * height / FULL)
            print(f"\r[{bar:<30}] {int(height):4} mm {'up' if up else 'down' if down else '  '} "
                  f"{'' if good else 'the controller does not run '}{'' if beam_clear else 'beam broken'}   ",
                  end="", flush=True)
            if select.select([sys.stdin], [], [], 0)[0]:
                key = sys.stdin.readline().strip().lower()
                if key == "q":
                    return
                if key == "b":
                    beam_clear = not beam_clear
                if key in ("o", "c"):
                    pressed, until = (OPEN if key == "o" else CLOSE), now + 0.5
        elif height >= FULL or now - began > 20:
            print(f"height {int(height)} mm after {now - began:.1f} s")
            return
        time.sleep(0.02)


if __name__ == "__main__":
    try:
        main()
    except (ConnectionError, socket.timeout, OSError, RuntimeError) as e:
        sys.exit(f"{e}. Is Modbus TCP open in Controller, Other programs?")
    except KeyboardInterrupt:
        pass
