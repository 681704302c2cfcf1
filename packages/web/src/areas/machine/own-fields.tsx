/** Fields of the rows of an own device. */
import { EditInPlace } from '../../components/ui.js';

export function Choice({
  label,
  value,
  of,
  onChange,
}: {
  readonly label: string;
  readonly value: string;
  readonly of: Readonly<Record<string, string>>;
  readonly onChange: (value: string) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(e) => onChange(e.target.value)}
      className="h-6 rounded border border-transparent bg-transparent text-[12px] hover:border-edge"
    >
      {Object.entries(of).map(([v, text]) => (
        <option key={v} value={v}>
          {text}
        </option>
      ))}
    </select>
  );
}
export const Field = ({
  label,
  width,
  value,
  placeholder = '',
  choices,
  onCommit,
}: {
  readonly label: string;
  readonly choices?: readonly { readonly text: string; readonly about: string }[];
  readonly width: string;
  readonly value: string;
  readonly placeholder?: string;
  readonly onCommit: (text: string) => unknown;
}) => (
  <span className={`${width} shrink-0`}>
    <EditInPlace
      mono
      value={value}
      label={label}
      placeholder={placeholder}
      {...(choices ? { choices } : {})}
      onCommit={onCommit}
    />
  </span>
);
