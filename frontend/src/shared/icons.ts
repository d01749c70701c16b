import arrowClockwise from "bootstrap-icons/icons/arrow-clockwise.svg?raw";
import arrowCounterclockwise from "bootstrap-icons/icons/arrow-counterclockwise.svg?raw";
import arrowUp from "bootstrap-icons/icons/arrow-up.svg?raw";
import arrowLeft from "bootstrap-icons/icons/arrow-left.svg?raw";
import pin from "bootstrap-icons/icons/pin-angle-fill.svg?raw";
import pinEmpty from "bootstrap-icons/icons/pin-angle.svg?raw";
import tag from "bootstrap-icons/icons/tag.svg?raw";
import paste from "bootstrap-icons/icons/clipboard-check.svg?raw";
import mailbox from "bootstrap-icons/icons/mailbox.svg?raw";
import envelope from "bootstrap-icons/icons/envelope.svg?raw";
import drive from "bootstrap-icons/icons/hdd-network.svg?raw";
import broadcast from "bootstrap-icons/icons/broadcast.svg?raw";
import box from "bootstrap-icons/icons/archive.svg?raw";
import folder from "bootstrap-icons/icons/folder2.svg?raw";
import link from "bootstrap-icons/icons/link-45deg.svg?raw";
import eye from "bootstrap-icons/icons/eye.svg?raw";
import moon from "bootstrap-icons/icons/moon.svg?raw";
import layers from "bootstrap-icons/icons/layers.svg?raw";
import sigma from "bootstrap-icons/icons/calculator.svg?raw";
import bell from "bootstrap-icons/icons/bell.svg?raw";
import calendar from "bootstrap-icons/icons/calendar3.svg?raw";
import check from "bootstrap-icons/icons/check-lg.svg?raw";
import chevronLeft from "bootstrap-icons/icons/chevron-left.svg?raw";
import clock from "bootstrap-icons/icons/clock.svg?raw";
import cone from "bootstrap-icons/icons/cone-striped.svg?raw";
import copy from "bootstrap-icons/icons/copy.svg?raw";
import download from "bootstrap-icons/icons/download.svg?raw";
import exclamation from "bootstrap-icons/icons/exclamation-triangle.svg?raw";
import csv from "bootstrap-icons/icons/filetype-csv.svg?raw";
import fileText from "bootstrap-icons/icons/file-earmark-text.svg?raw";
import fonts from "bootstrap-icons/icons/fonts.svg?raw";
import grip from "bootstrap-icons/icons/grip-vertical.svg?raw";
import key from "bootstrap-icons/icons/key.svg?raw";
import list from "bootstrap-icons/icons/card-list.svg?raw";
import number from "bootstrap-icons/icons/123.svg?raw";
import paperclip from "bootstrap-icons/icons/paperclip.svg?raw";
import pause from "bootstrap-icons/icons/pause-circle.svg?raw";
import pauseBars from "bootstrap-icons/icons/pause-fill.svg?raw";
import send from "bootstrap-icons/icons/send.svg?raw";
import archive from "bootstrap-icons/icons/file-earmark-zip.svg?raw";
import pencil from "bootstrap-icons/icons/pencil.svg?raw";
import person from "bootstrap-icons/icons/person-circle.svg?raw";
import play from "bootstrap-icons/icons/play-fill.svg?raw";
import plus from "bootstrap-icons/icons/plus-lg.svg?raw";
import question from "bootstrap-icons/icons/question-lg.svg?raw";
import search from "bootstrap-icons/icons/search.svg?raw";
import shield from "bootstrap-icons/icons/shield-lock.svg?raw";
import spreadsheet from "bootstrap-icons/icons/file-earmark-spreadsheet.svg?raw";
import toggles from "bootstrap-icons/icons/toggles2.svg?raw";
import trash from "bootstrap-icons/icons/trash3.svg?raw";
import x from "bootstrap-icons/icons/x-lg.svg?raw";

export const ICONS = {
  archive,
  pauseBars,
  send,
  arrowClockwise,
  arrowCounterclockwise,
  arrowLeft,
  arrowUp,
  bell,
  box,
  broadcast,
  drive,
  envelope,
  eye,
  folder,
  link,
  mailbox,
  layers,
  moon,
  paste,
  pin,
  pinEmpty,
  sigma,
  tag,
  calendar,
  check,
  chevronLeft,
  clock,
  cone,
  copy,
  csv,
  download,
  exclamation,
  fileText,
  fonts,
  grip,
  key,
  list,
  number,
  paperclip,
  pause,
  pencil,
  person,
  play,
  plus,
  question,
  search,
  shield,
  spreadsheet,
  toggles,
  trash,
  x,
};

export type IconName = keyof typeof ICONS;

/** The icon of each kind of value. */
export const KIND_ICONS: Record<string, IconName> = {
  text: "fonts",
  integer: "number",
  decimal: "number",
  boolean: "toggles",
  date: "calendar",
  timestamp: "clock",
  moment: "clock",
  time: "clock",
  choice: "list",
  identifier: "key",
  file: "paperclip",
  other: "fileText",
};
