export const NAMED: { room: string; file: string; what: string; find: string; put: string }[];
