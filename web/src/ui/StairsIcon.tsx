import { createLucideIcon } from "lucide-react";

/** Stairs, drawn in the manner of the other icons. */
export const StairsIcon = createLucideIcon("stairs", [["path", { d: "M3 20h18V4h-5v4h-4v4H8v4H3z", key: "stairs" }]]);
