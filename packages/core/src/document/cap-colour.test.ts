import { describe, expect, it } from 'vitest';
import { capColour } from './cap-colour.js';

const of = (type: string, name: string, label?: string) =>
  capColour({ id: 'd', name, type, ...(label ? { label } : {}) });
describe('the colour of a cap that nobody has chosen', () => {
  it.each([
    ['PushButton', 'Start', undefined, 'green'],
    ['PushButton', 'StopPB', undefined, 'red'],
    ['PushButton', 'PushButton2', 'Reset', 'blue'],
    ['PushButton', 'Taster1', 'Aus', 'red'],
    ['PushButton', 'PushButton3', 'Marcia', 'green'],
    ['PushButton', 'PushButton4', 'Arresto', 'red'],
    ['PushButton', 'EmergencyReset', undefined, 'blue'],
    ['PushButton', 'PushButton', undefined, 'white'],
    ['PushButton', 'Stoppage', undefined, 'white'],
    ['Lamp', 'FaultLamp', undefined, 'red'],
    ['Lamp', 'RunLamp', 'Running', 'green'],
    ['Lamp', 'L3', 'Bin full', 'yellow'],
    ['Lamp', 'Lamp', undefined, 'white'],
    ['Selector', 'Start', undefined, 'black'],
    ['EmergencyStop', 'Es1', undefined, 'red'],
  ])('%s %s “%s” is %s', (type, name, label, colour) => {
    expect(of(type, name, label)).toBe(colour);
  });
  it('the one that was chosen stays', () => {
    expect(capColour({ id: 'd', name: 'Stop', type: 'PushButton', colour: 'black' })).toBe('black');
  });
});
