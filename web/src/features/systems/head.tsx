// The head of a table of a survey.
export function Head({ names }: { names: string[] }) {
  return (
    <thead>
      <tr className="text-left text-[11px] text-ink-3">
        {names.map((name) => (
          <th key={name} className="border-b border-hair px-3 py-1.5 font-normal">
            {name}
          </th>
        ))}
      </tr>
    </thead>
  );
}
