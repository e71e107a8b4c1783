import { laneColour, laneShape } from "../charts/marks";

/** A lane's colour and shape, as in every chart. */
export function LaneMark({ lane, size = 12 }: { lane: number; size?: number }) {
  return (
    <svg
      width={size}
      height={size}
      viewBox="-7 -7 14 14"
      aria-hidden="true"
      className="inline-block shrink-0"
    >
      <path d={laneShape(lane, 5.5)} fill={laneColour(lane)} />
    </svg>
  );
}

export function LaneName({ lane, name }: { lane: number; name: string }) {
  return (
    <span className="inline-flex items-center gap-1.5 whitespace-nowrap">
      <LaneMark lane={lane} />
      {name}
    </span>
  );
}
