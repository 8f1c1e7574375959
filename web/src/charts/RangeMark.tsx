/** A range around nought as a bar, and how far it may reach. */
interface Props {
  low: number;
  high: number;
  /** Drawn as a tick: beyond it, it is too much. */
  limit?: number;
  tone?: "ink" | "fern" | "brick";
  width?: number;
}

export function RangeMark({ low, high, limit, tone = "ink", width = 96 }: Props) {
  const reach = Math.max(Math.abs(low), Math.abs(high), Math.abs(limit ?? 0)) || 1;
  const at = (value: number) => width / 2 + (value / reach) * (width / 2 - 2);
  return (
    <svg width={width} height={18} aria-hidden="true" className="inline-block align-middle">
      <line x1={0} x2={width} y1={9} y2={9} stroke="var(--color-line)" />
      <line x1={width / 2} x2={width / 2} y1={2} y2={16} stroke="var(--color-quiet)" />
      {limit !== undefined && (
        <line x1={at(limit)} x2={at(limit)} y1={3} y2={15} stroke="var(--color-brick)" strokeDasharray="2 2" />
      )}
      <rect
        x={at(low)}
        width={Math.max(2, at(high) - at(low))}
        y={7}
        height={4}
        fill={`var(--color-${tone})`}
        opacity={0.6}
      />
    </svg>
  );
}
