/** Words of planning, the same everywhere. */

export const ORDER_WORDS: Record<string, string> = {
  lane_by_lane: "lane after lane",
  in_rounds: "lane after lane, in rounds",
  alternating: "lanes in turn, there and back",
  by_game: "lanes in turn within each game",
  random: "shuffled within rounds",
  by_hand: "by hand",
};

export const WEIGHT_WORDS: Record<string, string> = {
  harmless: "harmless",
  mind: "may shift it",
  spoils: "makes it unfair",
};

/** Changes at the machine, in one and many. */
export const CHANGE_WORDS: Record<string, [string, string]> = {
  swap: ["part swap", "part swaps"],
  driver: ["install", "installs"],
  reboot: ["reboot", "reboots"],
  setting: ["setting changed", "settings changed"],
  load: ["load", "loads"],
  restart: ["game restart", "game restarts"],
  menu: ["menu change", "menu changes"],
  resolution: ["resolution change", "resolution changes"],
};

export const COST_WORDS: Record<string, string> = {
  start_s: "Beginning a session",
  swap_s: "Swapping a part",
  quick_swap_s: "Changing a display or dock",
  driver_s: "Installing a driver, system or build",
  reboot_s: "Rebooting, for a firmware switch",
  setting_s: "Changing a setting",
  load_s: "Loading a game",
  restart_s: "Restarting a game for its preset",
  menu_s: "Changing a preset in the menu",
  resolution_s: "Changing the resolution",
  between_s: "Between two passes",
  soak_s: "Under load before a game’s first pass",
  cool_s: "Rest between two passes, at least",
};
