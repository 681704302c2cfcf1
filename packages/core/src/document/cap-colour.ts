/**
 * Colours of caps and lamps where nobody has chosen one: by what they are called (IEC 60073; buttons as IEC 60204-1
 * allows).
 */
import type { Device } from './document.js';

type Colour = NonNullable<Device['colour']>;
const words = (text: string): ReadonlySet<string> => new Set(text.split(' '));
const STOP = words('stop stopp off halt emergency aus arret arresto parar parada paro fermo uit noodstop nothalt'),
  START = words('start on run go ein marche marcha marcia avvio aan einschalten'),
  RESET = words('reset ack acknowledge quit quittieren clear acquit rearme ripristino herstel'),
  FAULT = words('fault alarm error trip failure stoerung fehler defaut fallo guasto storing'),
  WARNING = words('warning warn low high empty full wait attention warnung alerta attenzione'),
  NORMAL = words('run running on ready auto ok betrieb bereit service pret listo pronto bedrijf');

/** Words of a name or label: `RunLamp`, `Bring carts`. */
const wordsOf = (text: string): readonly string[] =>
  (text.match(/[A-Z]+(?![a-z])|[A-Z]?[a-zà-ÿ]+/g) ?? []).map((w) => w.toLowerCase());

/** The colour of a device's cap or lens: the one that was chosen, else what its name and label ask for. */
export function capColour(d: Device): Colour {
  if (d.colour) return d.colour;
  const all = [...wordsOf(d.label ?? ''), ...wordsOf(d.name)],
    has = (list: ReadonlySet<string>) => all.some((w) => list.has(w));
  if (d.type === 'Lamp') return has(FAULT) ? 'red' : has(WARNING) ? 'yellow' : has(NORMAL) ? 'green' : 'white';
  // IEC 60204-1, 10.7.2: an emergency stop is red.
  if (d.type === 'EmergencyStop') return 'red';
  if (d.type !== 'PushButton') return 'black';
  // What resets a stop is a reset.
  return has(RESET) ? 'blue' : has(STOP) ? 'red' : has(START) ? 'green' : 'white';
}
