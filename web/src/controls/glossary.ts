/** What the words of the screens mean, each in a sentence or two: shown in place, and all together under `?`. */
export const GLOSSARY = {
  lane: "A setup that takes part in a study: a card, a driver, a fan profile with all that belongs to it. Lanes are what is compared.",
  factor:
    "What the question is about: the one thing in which the lanes are meant to differ. It is a kind of part, such as Graphics card, or the name of a setting.",
  baseline: "The lane that the others are held against. A margin says how far another lane is ahead of it.",
  setup: "A machine with all its parts and settings: everything one must know to repeat a run.",
  test: "A scene of a game under a condition. Each lane runs every test some times.",
  scene: "A stretch of a game that can be repeated: where it starts, what is done, where it ends.",
  condition: "What the game is told: resolution, preset and the like, under one name.",
  pass: "One run of a test in a lane. Only accepted passes count.",
  cell: "All accepted passes of one test in one lane. Its value is their mean, or the one in the middle.",
  priority:
    "Which tests are left out first when the time runs short: 1 is run whatever happens, 3 goes first.",
  margin: "How far one lane is ahead of another, in percent of the other.",
  interval:
    "Where the true margin lies with 95% certainty, as far as scatter from pass to pass and drift let one say. Where a study is looked at after every pass it is wider, so that all looks together keep to 95%.",
  even: "The whole interval lies within the band that the method calls even: the lanes do not differ by more.",
  "control passes":
    "One more pass of the same test where a lane begins and where it ends. What it loses or gains between them is drift of the bench, and shows how fast that is.",
  "leaves open":
    "How wide the intervals would be, half of each, with the passes at the times this order gives them, while the bench may drift as fast as the method allows for.",
  drift:
    "The bench itself grows slower or faster over the hours, with the room and its own warmth. Between lanes run one after the other it looks like a difference.",
  open: "The passes so far cannot say: the interval reaches over the edge. More passes narrow it.",
  "could be chance":
    "Among so many tests one or two look ahead or behind without being so. This one might be among them.",
  "scatter from pass to pass":
    "How much a figure differs when the same test is run again: what two passes of one lane usually are apart. Small margins need quiet scenes or many passes.",
  "passes needed":
    "How many passes in each lane show the smallest margin that matters, nine times out of ten.",
  "what a plan can show":
    "The smallest margin that the planned passes would show nine times out of ten: for a test alone, and for all tests together, which is always finer.",
  "fair and ready":
    "Nothing but the factor differs between the lanes, or every other difference was read and accepted with a reason that prints with the findings.",
  "makes it unfair": "A difference that changes what the study answers. Mend it, or say why it may stand.",
  "may shift it": "A difference that may move the result a little. Say why it may stand.",
  harmless: "A difference that changes no frame, as far as is known.",
  "held back by":
    "What in the machine limits the rate in this scene: the part that a quicker one would help.",
  "bound by":
    "What the frames of a pass waited for, from the card's and the processor's own times. Without those in the file it is not known.",
  capped:
    "Something other than the hardware holds the rate: a limiter, the display, the engine. The average then says nothing about the lanes; the lows still do.",
  "average fps": "Frames over time: all frames of a pass divided by its length.",
  "1% low":
    "The rate that the slowest hundredth of the frames reach. How it is taken differs between schools; the study declares one.",
  percentile: "The rate at the 99th percentile of frame times: steady from pass to pass.",
  "mean of slowest frames": "The mean of the slowest hundredth of the frames: deep spikes count.",
  "slowest by time": "For a hundredth of the time the rate was at or below this.",
  "geometric mean": "The mean of ratios that is the same whichever lane is the baseline.",
  "same number of frames in each game":
    "The mean as if every game were played for the same number of frames: slow games weigh more.",
  "even band": "Margins smaller than this count as even. It is the reviewer's choice.",
  "rate to be reached":
    "The rate that the figures of smoothness are held against, such as the display's or a headset's.",
  budget: "The time a frame may take at the rate to be reached: 16.67 ms at 60 Hz.",
  stutter: "A frame that takes far longer than those around it, so that one sees it.",
  group: "Tests that may be put together: the same intent, resolution and preset.",
  intent: "Why a condition was chosen: as people play, or to expose one part by removing every other limit.",
  doubt:
    "What a check finds about a pass that deserves another look. It decides nothing: somebody settles it, and the record shows how.",
  "unsure check": "A check that is known to be wrong now and then; its doubt is told, and stops nothing.",
  reproduced:
    "A pass was run again because it was doubted, and the repeat agrees with it within noise. In another session that is worth more.",
  "odd, but real":
    "A pass that is off and whose repeat agrees: it counts, and is told as odd with every finding.",
  window: "The stretch of a capture that counts. What lies outside is left out of the figures.",
  capture: "The file that a logger wrote of one pass, with a time for every frame.",
  guess: "The file's name says it only in part. Say whether it is right before it is taken in.",
} as const satisfies Record<string, string>;

export type Word = keyof typeof GLOSSARY;
