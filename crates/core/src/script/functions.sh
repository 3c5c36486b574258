if [ -n "${ZSH_VERSION:-}" ]; then emulate sh; fi
done_steps=0
failed_steps=0
there_steps=0
missing_frames=0
to_remove=
kept_prepared=

# begin NUMBER NAME FOLDER STAGING FOLDERS…: makes the folders of a step
begin() {
  number=$1 name=$2 folder=$3 staging_name=$4
  shift 4
  if [ "$stop" -ne 0 ] && [ "$failed_steps" -ne 0 ]; then
    return 1
  fi
  missing=
  outcome=0
  ran=0
  fine=0
  in_order=0
  work=
  set_up=
  log=$folder/truepath-logs/$name.log
  mkdir -p -- "$@" "$folder/truepath-logs" || { fail "its folders cannot be made"; return 1; }
}

# wants BEFORE AFTER DIGITS (FIRST LAST STEP)…: notes which true names are not there yet
wants() {
  before=$1 after=$2 digits=$3
  shift 3
  while [ $# -gt 2 ]; do
    frame=$1
    while [ "$frame" -le "$2" ]; do
      true_name "$frame"
      there "$named" || missing="$missing $frame"
      frame=$((frame + $3))
    done
    shift 3
  done
}

# needed: whether anything is missing; makes the staging folder
needed() {
  if [ -z "$missing" ]; then
    there_steps=$((there_steps + 1))
    return 1
  fi
  staging=$staging_name
  count=1
  while ! mkdir -- "$staging" 2>/dev/null; do
    count=$((count + 1))
    staging=$staging_name-$count
    if [ "$count" -gt 999 ]; then
      fail "no staging folder can be made in $folder"
      return 1
    fi
  done
}

# there PATH: whether anything has this name
there() {
  [ -e "$1" ] || [ -L "$1" ]
}

# true_name FRAME: the true name of a frame, in $named
true_name() {
  if [ "$digits" -eq 0 ]; then
    named=$before$after
  elif [ "$1" -lt 0 ]; then
    named=$before-$(printf "%0${digits}d" "$((0 - $1))")$after
  else
    named=$before$(printf "%0${digits}d" "$1")$after
  fi
}

# prepare FOLDER RESULT keep|remove COMMAND…: makes something of a scene, once a run of this script
prepare() {
  prepared=$1 result=$2 keeping=$3
  shift 3
  case $to_remove in
    *"
$prepared
"*) return ;;
  esac
  rm -rf -- "$prepared"
  mkdir -p -- "$prepared" && (cd "$prepared" && exec "$@") >>"$log" 2>&1 </dev/null || outcome=$?
  if [ "$outcome" -ne 0 ]; then
    echo "$name: its scene could not be prepared" >&2
  fi
  to_remove="$to_remove
$prepared
"
  [ "$keeping" = remove ] || kept_prepared="$kept_prepared
$prepared
"
}

# whole BEFORE AFTER DIGITS (FIRST LAST STEP)…: whether the frames of a movie are all there
whole() {
  before_movie=$missing
  missing=
  wants "$@"
  if [ -n "$missing" ]; then
    echo "$name: its sequence is not whole: frames$missing" >&2
    outcome=1
  fi
  missing=$before_movie
}

# render COMMAND…: runs the engine, its log beside the frames
render() {
  [ "$outcome" -eq 0 ] || return
  echo "$number of $all: $name" >&2
  ran=1
  (
    cd -- "${work:-$staging}" || exit 127
    if [ -n "$set_up" ]; then . "$set_up" || exit 127; fi
    exec "$@"
  ) >>"$log" 2>&1 </dev/null
  outcome=$?
  for code in $fine; do
    if [ "$outcome" -eq "$code" ]; then outcome=0; fi
  done
}

# bring one|digits|any BEFORE AFTER TRUE-BEFORE TRUE-AFTER DIGITS (FIRST LAST STEP)…: brings files
# to their true names; of a step that failed only those that a later one shows to be finished, where
# the engine works in order
bring() {
  how=$1 native_before=$2 native_after=$3 before=$4 after=$5 digits=$6
  shift 6
  last=
  if [ "$outcome" -ne 0 ]; then
    [ "$in_order" -ne 0 ] && [ "$how" != one ] || return
    for file in "$staging"/* "$staging"/.[!.]* "$staging"/..?*; do
      frame_of "$@" || continue
      if [ -z "$last" ] || [ "$found" -gt "$last" ]; then last=$found; fi
    done
  fi
  for file in "$staging"/* "$staging"/.[!.]* "$staging"/..?*; do
    frame_of "$@" || continue
    [ "$found" != "$last" ] || continue
    true_name "$found"
    put "$file" "$named"
  done
}

# frame_of (FIRST LAST STEP)…: the frame of $file, in $found
frame_of() {
  [ -f "$file" ] && ! [ -L "$file" ] && [ -s "$file" ] || return 1
  base=${file##*/}
  case $how in
    one)
      [ "$base" = "$native_before" ] || return 1
      found=$1
      ;;
    digits)
      case $base in "$native_before"*"$native_after") ;; *) return 1 ;; esac
      found=${base#"$native_before"}
      found=${found%"$native_after"}
      number_of "$found" || return 1
      ;;
    any)
      if [ "$1" = "$2" ] && [ $# -eq 3 ]; then
        found=$1
      else
        stem=${base%.*}
        head=${stem%"${stem##*[!0123456789]}"}
        found=${stem#"$head"}
        case $head in *-) [ "$1" -ge 0 ] || found=-$found ;; esac
        number_of "$found" || return 1
      fi
      ;;
  esac
  is_wanted "$found" "$@"
}

# number_of TEXT: a frame number without leading zeros, in $found
number_of() {
  sign=
  found=$1
  case $found in -*) sign=- found=${found#-} ;; esac
  case $found in '' | *[!0123456789]*) return 1 ;; esac
  while :; do
    case $found in 0?*) found=${found#0} ;; *) break ;; esac
  done
  [ ${#found} -lt 18 ] || return 1
  [ "$found" = 0 ] || found=$sign$found
}

# is_wanted FRAME (FIRST LAST STEP)…
is_wanted() {
  one=$1
  shift
  while [ $# -gt 2 ]; do
    if [ "$one" -ge "$1" ] && [ "$one" -le "$2" ] && [ $(((one - $1) % $3)) -eq 0 ]; then
      return 0
    fi
    shift 3
  done
  return 1
}

# put FILE PATH: gives a file its true name, and never replaces one
put() {
  if there "$2"; then
    return
  fi
  if ln -- "$1" "$2" 2>/dev/null; then
    rm -f -- "$1"
  elif ! there "$2"; then
    # A file system without links: a copy under another name first, so that none is ever half.
    cp -- "$1" "$2.half-$$" && { there "$2" || mv -- "$2.half-$$" "$2"; } && rm -f -- "$1"
  fi
}

# finish: counts what is done and failed
finish() {
  rmdir -- "$staging" 2>/dev/null || echo "$name: not needed or not whole, left in $staging" >&2
  if [ "$ran" -eq 0 ]; then
    fail "it was not started"
  elif [ "$outcome" -ne 0 ]; then
    fail "it ended with exit code $outcome; its log is $log"
  else
    done_steps=$((done_steps + 1))
  fi
}

# fail WHY
fail() {
  failed_steps=$((failed_steps + 1))
  echo "$name: $1" >&2
}

# still BEFORE AFTER DIGITS (FIRST LAST STEP)…: tells which true names are missing after a step
still() {
  missing=
  wants "$@"
  for frame in $missing; do
    missing_frames=$((missing_frames + 1))
    true_name "$frame"
    echo "missing: $named" >&2
  done
}

summary() {
  printf '%s' "$to_remove" | while IFS= read -r prepared; do
    case $kept_prepared in
      *"
$prepared
"*) ;;
      *) if [ -n "$prepared" ]; then rm -rf -- "$prepared"; fi ;;
    esac
  done
  echo "$done_steps of $all steps done, $there_steps there before, $failed_steps failed, $missing_frames files missing"
}

