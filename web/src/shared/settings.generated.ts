// Written by ./janoglot api, from where settings are declared. Not for editing.
export const VOICE_SETTINGS = {
  pace: { min: 0.7, max: 1.4, usual: 1 },
  pitch: { min: -6, max: 6, usual: 0 },
  melody: { min: 0.2, max: 2, usual: 1 },
  pauses: { min: 0.3, max: 3, usual: 1 },
  level_db: { min: -12, max: 12, usual: 0 },
  brighter: { min: -6, max: 6, usual: 0 },
  breathier: { min: 0, max: 0.6, usual: 0 },
  younger: { min: -1, max: 1, usual: 0 },
  rougher: { min: 0, max: 0.8, usual: 0 },
  softer: { min: 0, max: 1, usual: 0 },
  livelier: { min: -1, max: 1, usual: 0 },
} as const;
export const TIMING_SETTINGS = {
  comfortable_slow: { min: 0.7, max: 1, usual: 0.92 },
  comfortable_fast: { min: 1, max: 1.5, usual: 1.15 },
  hard_slow: { min: 0.6, max: 1, usual: 0.8 },
  hard_fast: { min: 1, max: 1.6, usual: 1.35 },
  early: { min: 0, max: 2, usual: 0.25 },
  late: { min: 0, max: 2, usual: 0.4 },
  tight_early: { min: 0, max: 0.5, usual: 0.08 },
  tight_late: { min: 0, max: 0.5, usual: 0.08 },
  run_on: { min: 0, max: 10, usual: 1.5 },
  pace: { min: 0.5, max: 2, usual: 1 },
  untimed_rate: { min: 0.8, max: 1.35, usual: 1 },
  breath: { min: 0, max: 0.5, usual: 0.08 },
} as const;
