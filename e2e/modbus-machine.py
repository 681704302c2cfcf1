"""A program with a gate in it, over Modbus TCP: coil 0 drives it up, register 0 sets how fast; discrete input 0 is on at the
top, input register 0 is how high it is. Tells what it holds by a line every 50 ms."""
import sys
import threading
import time

from pymodbus.datastore import ModbusSequentialDataBlock, ModbusServerContext, ModbusSlaveContext
from pymodbus.server import StartTcpServer

FULL = 1000
# Numbers count from 0, as on the wire.
unit = ModbusSlaveContext(
    di=ModbusSequentialDataBlock(0, [0] * 8),
    co=ModbusSequentialDataBlock(0, [0] * 8),
    hr=ModbusSequentialDataBlock(0, [0] * 8),
    ir=ModbusSequentialDataBlock(0, [0] * 8),
    zero_mode=True,
)


def move():
    height = 0
    while True:
        up, speed = unit.getValues(1, 0, 1)[0], unit.getValues(3, 0, 1)[0]
        height = min(FULL, height + speed // 20) if up else max(0, height - 50)
        unit.setValues(4, 0, [height])
        unit.setValues(2, 0, [1 if height >= FULL else 0])
        print(int(up), speed, height, flush=True)
        time.sleep(0.05)


threading.Thread(target=move, daemon=True).start()
StartTcpServer(context=ModbusServerContext(slaves=unit, single=True), address=("127.0.0.1", int(sys.argv[1])))
