/** What the ferry line is, in three states of its site. Everything here is made up. */
export const CROSSINGS = [
  {
    id: "alder-heron",
    from: "Port Alder",
    to: "Heron Island",
    minutes: 35,
    fare: 6.4,
    vessel: "Tern",
    scene: "morning",
    text: "Our oldest crossing, past the lighthouse on Middle Shoal and into the shelter of Heron harbour. Seals on the sandbank at low water.",
  },
  {
    id: "alder-saltmarsh",
    from: "Port Alder",
    to: "Saltmarsh Quay",
    minutes: 50,
    fare: 8.2,
    vessel: "Avocet",
    scene: "noon",
    text: "Across the open sound to the creeks of Saltmarsh. Bicycles travel free, and the quay café opens for the first boat.",
  },
  {
    id: "gull-point",
    from: "Heron Island",
    to: "Gull Point",
    minutes: 20,
    fare: 4.1,
    vessel: "Dunlin",
    scene: "evening",
    text: "A summer hop to the bird cliffs. Bring binoculars and a warm coat: the landing is open to the west.",
  },
  {
    id: "cape-wren",
    from: "Saltmarsh Quay",
    to: "Cape Wren",
    minutes: 65,
    fare: 10.5,
    vessel: "Avocet",
    scene: "dusk",
    text: "New this season: the long way round the headland to the white houses of Cape Wren, with supper on the late boat.",
  },
];

export const VESSELS = [
  {
    id: "tern",
    name: "MV Tern",
    year: 2009,
    guests: 240,
    cars: 28,
    scene: "morning",
    text: "The workhorse of the Heron crossing, rebuilt with quieter engines and a wide ramp for wheelchairs and prams.",
  },
  {
    id: "avocet",
    name: "MV Avocet",
    year: 2018,
    guests: 320,
    cars: 44,
    scene: "noon",
    text: "Our largest boat: two saloons, a sun deck and a galley that is proud of its fish soup.",
  },
  {
    id: "dunlin",
    name: "MV Dunlin",
    year: 1987,
    guests: 80,
    cars: 0,
    scene: "evening",
    text: "Small, wooden-benched and loved. She takes walkers and birdwatchers wherever the water is thin.",
  },
];

export const HARBOURS = [
  {
    id: "port-alder",
    name: "Port Alder",
    scene: "noon",
    text: "The market town. Tickets, left luggage and the best buns of the sound are all on Quay Street; the railway halt is four minutes away.",
  },
  {
    id: "heron-island",
    name: "Heron Island",
    scene: "morning",
    text: "One road, one school, nine hundred herons. The landing has a waiting room with a stove and a shelf of borrowed books.",
  },
  {
    id: "saltmarsh-quay",
    name: "Saltmarsh Quay",
    scene: "evening",
    text: "Boardwalks through the creeks start right at the ramp. At spring tides wear boots, and mind the oyster racks.",
  },
];

const NEWS = {
  spring: {
    id: "spring-timetable",
    date: "2026-03-02",
    title: "The spring timetable is here",
    text: "From Sunday the first boat to Heron Island leaves at 06:40, and Saltmarsh gets a late sailing on Fridays. The printed cards are at every ticket office.",
  },
  deck: {
    id: "quieter-decks",
    date: "2026-02-11",
    title: "Quieter decks on the Tern",
    text: "She came back from the yard with new engine mounts. Conversation on the aft deck is possible again, and the crew have stopped shouting.",
  },
  seals: {
    id: "seal-count",
    date: "2026-01-20",
    title: "Ninety-one seals on Middle Shoal",
    text: "Our skippers count each January. That is seven more than last year, and the pups are already curious about the wash.",
  },
  wren: {
    id: "cape-wren-opens",
    date: "2026-04-07",
    title: "We sail to Cape Wren",
    text: "Three boats a day around the headland, with supper on the late one. Through tickets from Port Alder are on sale at every office.",
  },
};

const SPRING = {
  "alder-heron": ["06:40", "08:10", "10:30", "13:00", "15:30", "17:50", "20:15"],
  "alder-saltmarsh": ["07:15", "11:00", "14:45", "18:30"],
  "gull-point": ["09:30", "12:30", "16:30"],
};

/** The three builds: the first; one with a changed timetable, a new and a closed crossing; and one that is broken. */
export const BUILDS = {
  1: {
    crossings: ["alder-heron", "alder-saltmarsh", "gull-point"],
    news: [NEWS.spring, NEWS.deck, NEWS.seals],
    times: SPRING,
    notice: "",
    season: "Spring timetable",
    broken: false,
  },
  2: {
    crossings: ["alder-heron", "alder-saltmarsh", "cape-wren"],
    news: [NEWS.wren, NEWS.spring, NEWS.deck, NEWS.seals],
    times: {
      "alder-heron": ["06:40", "08:10", "09:20", "10:30", "13:00", "15:30", "17:50", "20:15", "22:00"],
      "alder-saltmarsh": SPRING["alder-saltmarsh"],
      "cape-wren": ["09:00", "13:30", "19:15"],
    },
    notice: "Cape Wren is open: three boats a day from Saltmarsh Quay",
    season: "Summer timetable",
    broken: false,
  },
};
BUILDS[3] = { ...BUILDS[2], notice: "Book your deck chair online", broken: true };
