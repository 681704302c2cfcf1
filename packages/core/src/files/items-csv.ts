/**
 * A list of items of another program as CSV: their names, and where each is; the mapping that Ferrule itself saves is
 * one.
 */
import Papa from 'papaparse';
import { parseItem } from '../points/modbus-map.js';
import { type FoundItem, NODE } from '../workspace/outside.js';

const NAMES = ['point', 'name', 'tag'],
  ITEMS = ['item', 'node', 'node id', 'address'],
  TABLES: Readonly<Record<string, string>> = {
    'discrete input': 'discrete',
    discrete: 'discrete',
    coil: 'coil',
    'input register': 'input',
    input: 'input',
    'holding register': 'holding',
    holding: 'holding',
  };

/**
 * Reads a list with a head: a column Point or Name, and either Item, or Table and Number. A string says what is wrong,
 * and where.
 */
export function readItems(text: string, protocol: 'opcua' | 'modbus'): readonly FoundItem[] | string {
  const { data } = Papa.parse<string[]>(text.replace(/^\ufeff/, ''), {
    skipEmptyLines: 'greedy',
    delimitersToGuess: ['\t', ',', ';', '|'],
  });
  const [head = [], ...rows] = data.map((r) => r.map((c) => c.trim())),
    column = (names: readonly string[]) => head.findIndex((h) => names.includes(h.toLowerCase()));
  const [name, item, table, number, access, type] = [NAMES, ITEMS, ['table'], ['number'], ['access'], ['type']].map(
    column,
  ) as [number, number, number, number, number, number];
  if (name < 0 || (item < 0 && (table < 0 || number < 0)))
    return 'The first line must name the columns: Point (or Name), and Item, or Table and Number.';
  const items: FoundItem[] = [];
  for (const [i, row] of rows.entries()) {
    const place =
      item >= 0
        ? (row[item] ?? '')
        : `${TABLES[(row[table] ?? '').toLowerCase()] ?? row[table] ?? ''} ${row[number] ?? ''}`;
    if (!row[name]) continue;
    if (protocol === 'modbus' && !parseItem(place))
      return `Line ${i + 2}: '${place.trim()}' is no place; write for example coil 12 or holding 40.`;
    if (protocol === 'opcua' && !NODE.test(place))
      return `Line ${i + 2}: '${place.trim()}' names no node; write for example ns=2;s=Gate.IsOpen, in quotes where semicolons part the columns.`;
    const isRead = /^(discrete|input)/.test(place) || row[access]?.toLowerCase() === 'read';
    items.push({ item: place, name: row[name], type: row[type] ?? '', canRead: true, canWrite: !isRead });
  }
  return items.length ? items : 'The list names no item.';
}
