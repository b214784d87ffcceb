#!/sbin/sh
# Puts apps back that were kept by Keen Larder: their data beside what is there, checked, then exchanged. Run by a recovery that
# installs this archive, or by root in a running system: sh update-binary 3 1 ARCHIVE. Needs sh, unzip, tar, find, sort,
# sha256sum and a few more of what recoveries have. What it began and could not end is undone when it is run again.

plan_sum=@PLAN@
outfd=$2
zip=$3
data=/data
here=$data/local/tmp/keen-larder
log=$here/carry-along.log
next=.keen-larder-next
before=.keen-larder-before
aside=.keen-larder-aside
settled=.keen-larder-settled
coming=.keen-larder-coming
failed=0
waiting=0
placed=0
mounted=

say() {
  echo "ui_print $1" >&"$outfd"
  echo "ui_print" >&"$outfd"
  [ -d "$here" ] && echo "$1" >>"$log"
  return 0
}

refuse() {
  say "Nothing was changed: $1"
  leave 1
}

# What was mounted for this is given back.
leave() {
  cd / && sync
  for each in $mounted; do umount "$each" 2>/dev/null; done
  exit "$1"
}

# Some recoveries mount what they are asked for, by their own list.
open_up() {
  mount $2 "$1" 2>/dev/null && mounted="$1 $mounted"
}

# What a member of the archive has.
member() { unzip -p "$zip" "$1" 2>/dev/null; }

sum() { sha256sum | cut -d ' ' -f 1; }

# A property of the phone's system, where that can be read.
properties() {
  for each in /system_root/system/build.prop /system/system/build.prop /system/build.prop /vendor/build.prop; do
    [ -r "$each" ] && sed -n "s/^$1=//p" "$each"
  done
}

is_system() { [ "$(getprop sys.boot_completed 2>/dev/null)" = 1 ]; }

# Android's API level: of the system itself, or as it noted it in user data. What recovery says is its own.
sdk_of_phone() {
  properties ro.build.version.sdk
  is_system && getprop ro.build.version.sdk
  sed -n 's/.*<version sdkVersion="\([0-9]*\)".*/\1/p' "$data/system/packages.xml" 2>/dev/null
}

is_model() {
  for property in ro.product.model ro.product.system.model ro.product.vendor.model; do
    { properties $property; getprop $property 2>/dev/null; } | grep -qxF -- "$1" && return 0
  done
  return 1
}

free_kib() {
  last=
  for word in $(df -k "$data" | tail -n 1); do
    case $word in *%) echo "$last"; return ;; esac
    last=$word
  done
}

# Names within a folder, but those of the exchange.
own_names() {
  for path in "$1"/* "$1"/.[!.]* "$1"/..?*; do
    [ -e "$path" ] || [ -L "$path" ] || continue
    case ${path##*/} in "$next" | "$before" | "$aside" | "$settled" | "$coming") continue ;; esac
    "$2" "$path" "$3" || return 1
  done
}

move_into() { mv "$1" "$2/"; }
remove() { rm -rf "$1"; }
remove_same() { rm -rf "${2:?}/${1##*/}"; }

# The new is whole: what it was exchanged for goes.
settle() {
  mkdir -p "$1/$settled" && clear_away "$1"
}

clear_away() {
  rm -rf "${1:?}/$before" "${1:?}/$next" "${1:?}/$aside" "${1:?}/$coming" && rm -rf "${1:?}/$settled"
}

# What was begun in a folder and not ended is undone. It may be broken off anywhere, and begun again.
roll_back() {
  [ -d "$1" ] || return 0
  if [ ! -d "$1/$settled" ] && [ -d "$1/$before" ]; then
    # Once all that was there had gone aside, what lies there now is new.
    if [ -d "$1/$aside" ]; then
      own_names "$1" remove && rm -rf "${1:?}/$aside" || return 1
    fi
    # Where some files alone are exchanged, those that come are noted before they do.
    if [ -d "$1/$coming" ]; then
      own_names "$1/$coming" remove_same "$1" && rm -rf "${1:?}/$coming" || return 1
    fi
    own_names "$1/$before" move_into "$1" || return 1
  fi
  clear_away "$1"
}

swap() {
  mkdir -p "$1/$before" &&
    own_names "$1" move_into "$1/$before" &&
    mkdir -p "$1/$aside" &&
    own_names "$1/$next" move_into "$1"
}

# Ids of one app's files become those it has here: its own, and the groups that run along with it.
own() {
  # Some tar leaves links to root.
  find "$1" -type l -exec chown -h "$3:$3" {} + || return 1
  [ "$2" = "$3" ] && return 0
  find "$1" -user "$2" -exec chown -h "$3" {} + || return 1
  for range in 0 10000 20000 30000 40000; do
    find "$1" -group $(($2 + range)) -exec chgrp -h $(($3 + range)) {} + || return 1
  done
}

label_of() {
  for word in $(ls -dZ "$1" 2>/dev/null); do
    case $word in u:object_r:*) echo "$word" && return ;; esac
  done
}

# Owner and group, by their numbers.
owner_of() { ls -ldn "$1" | { read -r _ _ owner group _ && echo "$owner:$group"; }; }

# Unpacks a part beside what is there and checks it: folder, member, kind, sum of its files' sums, uid then and now.
stage() {
  if [ ! -d "$1" ]; then
    [ "$3" = shared ] || { why="there is no $1"; return 1; }
    mkdir -p "$1" && chown 1023:1023 "$1" && chmod 771 "$1" || { why="$1 cannot be made"; return 1; }
  fi
  roll_back "$1" || { why="what an earlier try left in $1 cannot be undone"; return 1; }
  mkdir "$1/$next" || { why="$1 cannot be written to"; return 1; }
  member "$2" | tar -x -f - -C "$1/$next" || { why="$2 cannot be unpacked: is there room?"; return 1; }
  label=$(label_of "$1")
  own "$1/$next" "$5" "$6" || { why="files of $1 cannot be given to $6"; return 1; }
  if [ -n "$label" ]; then
    chcon -hR "$label" "$1/$next" || { why="files of $1 cannot be labelled $label"; return 1; }
  fi
  has=$(cd "$1/$next" && find . -type f -exec sha256sum {} + | LC_ALL=C sort | sum)
  [ "$has" = "$4" ] || { why="what was unpacked into $1 is not what was kept"; return 1; }
}

# Calls its words for each line of the plan that begins with one: parts of an app.
parts_of() {
  member carry/plan >"$here/plan.$$"
  while read -r row row_of rest; do
    [ "$row $row_of" = "part $1" ] || continue
    # shellcheck disable=SC2086
    "$2" "$1" $rest </dev/null || { rm -f "$here/plan.$$"; return 1; }
  done <"$here/plan.$$"
  rm -f "$here/plan.$$"
}

stage_part() {
  staged=$((staged + 1))
  stage "$data/$3" "$2" "$4" "$5" "$6" "$uid"
}
swap_part() { swap "$data/$3" || { why="what is in $data/$3 could not be exchanged"; return 1; }; }
settle_part() { settle "$data/$3" || { why="what is left in $data/$3 could not be removed"; return 1; }; }
undo_part() { roll_back "$data/$3"; }

put_data() {
  staged=0
  parts_of "$1" stage_part && parts_of "$1" swap_part && parts_of "$1" settle_part && return 0
  parts_of "$1" undo_part || why="$why; it could not be undone: install this archive again"
  return 1
}

# The program of an app, checked, where the shell can install it from; all of it or nothing.
leave_program() {
  rm -rf "${here:?}/programs/$package" "${here:?}/programs/.$package"
  mkdir -p "$here/programs/.$package" || { why="$here cannot be written to"; return 1; }
  member carry/plan >"$here/programs.$$"
  while read -r row row_of file apk digest; do
    [ "$row $row_of" = "program $1" ] || continue
    member "$file" >"$here/programs/.$package/$apk" </dev/null
    [ "$(sum <"$here/programs/.$package/$apk")" = "$digest" ] || why="its program cannot be unpacked: is there room?"
  done <"$here/programs.$$"
  rm -f "$here/programs.$$"
  member carry/plan | sed -n "s/^grant $1 //p" >"$here/programs/.$package/grants"
  [ -z "$why" ] && mv "$here/programs/.$package" "$here/programs/$package" && return 0
  rm -rf "${here:?}/programs/.$package"
  return 1
}

install_script() {
  cat <<'END'
#!/system/bin/sh
# Installs the programs that wait here. It needs no root: adb shell sh /data/local/tmp/keen-larder/install.sh
cd "${0%/*}/programs" || exit 1
for folder in *; do
  [ -d "$folder" ] || continue
  session=$(pm install-create -r | sed -n 's/.*\[\([0-9]*\)\].*/\1/p')
  [ -n "$session" ] || { echo "$folder: the phone opens no session to install in"; continue; }
  for apk in "$folder"/*.apk; do
    bytes=$(wc -c <"$apk")
    pm install-write -S "$((bytes))" "$session" "${apk##*/}" - <"$apk" && continue
    pm install-abandon "$session"
    echo "$folder: ${apk##*/} was not taken"
    continue 2
  done
  pm install-commit "$session" || { echo "$folder: not installed"; continue; }
  if [ -r "$folder/grants" ]; then
    # Some are given with the program, and cannot be granted.
    while read -r permission; do pm grant "$folder" "$permission" </dev/null >/dev/null 2>&1; done <"$folder/grants"
  fi
  rm -rf "$folder"
done
END
}

install_now() {
  is_system || return 1
  sh "$here/install.sh" >>"$log" 2>&1
  [ ! -d "$here/programs/$package" ]
}

# What packages.list says of an app: uid and, since Android 10, its version.
look_up() {
  uid=
  version=
  while read -r listed id _ _ _ _ _ listed_code _; do
    [ "$listed" = "$package" ] || continue
    uid=$id
    case $listed_code in '' | *[!0-9]*) ;; *) version=$listed_code ;; esac
  done <"$data/system/packages.list"
}

needs_program() {
  [ -z "$uid" ] && return 0
  [ -n "$version" ] && [ "$version" -lt "$1" ]
}

put_app() {
  number=$1 package=$2 code=$3 programs=$4 title=$5
  why=
  look_up
  if needs_program "$code"; then
    if [ "$programs" = 0 ]; then
      say "$title: it is not installed here in version $code or later, and this archive has no program of it."
      failed=$((failed + 1))
      return
    fi
    if ! leave_program "$number"; then
      say "$title: $why. Nothing of it was changed."
      failed=$((failed + 1))
      return
    fi
    if ! install_now; then
      say "$title: its program waits in $here."
      waiting=$((waiting + 1))
      return
    fi
    look_up
  fi
  rm -rf "${here:?}/programs/$package"
  is_system && am force-stop "$package"
  if put_data "$number"; then
    if [ $staged = 0 ]; then
      say "$title: it is installed, and this archive has no data of it."
    else
      say "$title: its data is in place."
    fi
    placed=$((placed + 1))
  else
    say "$title: $why. Its data is as it was."
    failed=$((failed + 1))
  fi
}

# Calls its words for each line of the plan that begins with one, of the records with a number; what follows is one word to it.
lines_of() {
  member carry/plan >"$here/lines.$$"
  while read -r row row_of rest; do
    [ "$row $row_of" = "$1 $2" ] || continue
    "$3" "$rest" </dev/null || { rm -f "$here/lines.$$"; return 1; }
  done <"$here/lines.$$"
  rm -f "$here/lines.$$"
}

# Each folder that a file of records lies in, now or then.
place_folders() {
  "$does" "$data/${1%/*}" || return 1
  [ ! -d "$data/$1" ] || "$does" "$data/$1"
}
item_folder() {
  path=${1#* * * * * }
  "$does" "$data/${path%/*}"
}
in_folders() {
  does=$2
  lines_of place "$1" place_folders && lines_of item "$1" item_folder
}

undo_folder() { roll_back "$1" || { why="what an earlier try left in $1 cannot be undone"; return 1; }; }
settle_folder() { [ ! -d "$1/$before" ] || settle "$1" || { why="what is left in $1 could not be removed"; return 1; }; }

# One file beside those that are there, checked: member, mode, owner, label, digest, and its place.
stage_item() {
  rest=$1
  file=${rest%% *} && rest=${rest#* }
  mode=${rest%% *} && rest=${rest#* }
  owner=${rest%% *} && rest=${rest#* }
  label=${rest%% *} && rest=${rest#* }
  digest=${rest%% *} && path=$data/${rest#* }
  folder=${path%/*}
  if [ ! -d "$folder" ]; then
    case $folder in "$data"/media/*) ;; *) why="there is no $folder"; return 1 ;; esac
    mkdir -p "$folder" && chown 1023:1023 "$folder" && chmod 771 "$folder" || { why="$folder cannot be made"; return 1; }
  fi
  coming_file=$folder/$next/${path##*/}
  mkdir -p "$folder/$next" && member "$file" >"$coming_file" || { why="$path cannot be unpacked: is there room?"; return 1; }
  [ "$(sum <"$coming_file")" = "$digest" ] || { why="$path cannot be unpacked: is there room?"; return 1; }
  # What is there has the owner that holds on this phone.
  if [ -f "$path" ]; then
    owner=$(owner_of "$path")
    label=$(label_of "$path")
  fi
  [ "$owner" = - ] && owner=$(owner_of "$folder")
  [ "$label" = - ] && label=$(label_of "$folder")
  # Where labels are not told they are not given either: the kernel gives that of the folder.
  [ -n "$(label_of "$folder")" ] || label=
  chmod "$mode" "$coming_file" && chown "$owner" "$coming_file" || { why="$path cannot be given to $owner"; return 1; }
  [ -z "$label" ] || chcon "$label" "$coming_file" || { why="$path cannot be labelled $label"; return 1; }
}

# What is there goes aside: a file, or those right in a folder.
put_aside() {
  path=$data/$1
  if [ -d "$path" ]; then
    mkdir -p "$path/$before" && own_names "$path" move_file "$path/$before"
  elif [ -f "$path" ]; then
    mkdir -p "${path%/*}/$before" && mv "$path" "${path%/*}/$before/"
  fi
}
move_file() { [ ! -f "$1" ] || mv "$1" "$2/"; }

# Before one comes it is noted; what has its name by then goes aside first.
note_coming() {
  path=$data/${1#* * * * * }
  if [ -e "$path" ]; then
    mkdir -p "${path%/*}/$before" && mv "$path" "${path%/*}/$before/" || return 1
  fi
  mkdir -p "${path%/*}/$before" "${path%/*}/$coming/${path##*/}"
}
bring_in() {
  path=$data/${1#* * * * * }
  mv "${path%/*}/$next/${path##*/}" "$path"
}
swap_items() {
  lines_of place "$1" put_aside && lines_of item "$1" note_coming && lines_of item "$1" bring_in && return 0
  why="what is there could not be exchanged"
  return 1
}

put_record() {
  number=$1 level=$2 title=$3
  why=
  if is_system; then
    why="records go back in recovery alone"
  elif [ "$level" != 0 ] && [ "$level" != "$has_sdk" ]; then
    why="they are of Android API level $level, and this phone has $has_sdk"
  elif in_folders "$number" undo_folder && lines_of item "$number" stage_item && swap_items "$number" &&
    in_folders "$number" settle_folder; then
    say "$title: they are in place."
    placed=$((placed + 1))
    return
  else
    in_folders "$number" roll_back || why="$why; it could not be undone: install this archive again"
  fi
  say "$title: $why. What was there is as it was."
  failed=$((failed + 1))
}

for tool in unzip tar find sort sha256sum cut sed df; do
  type $tool >/dev/null 2>&1 || refuse "this recovery has no $tool."
done
[ "$(member carry/plan | sum)" = "$plan_sum" ] || refuse "the archive is damaged. Copy it onto the phone again."
[ -r "$data/system/packages.list" ] || open_up "$data"
[ -r "$data/system/packages.list" ] || refuse "user data is not open here. Unlock it in recovery, or start the phone once after a reset."

model=$(member carry/plan | sed -n 's/^model //p')
sdk=$(member carry/plan | sed -n 's/^sdk //p')
needed=$(member carry/plan | sed -n 's/^kib //p')
[ -n "$(properties ro.build.version.sdk)" ] || open_up /system_root "-o ro" || open_up /system "-o ro"
is_model "$model" || refuse "it is for a $model, and this phone is not one."
has_sdk=$(sdk_of_phone | head -n 1)
[ -n "$has_sdk" ] || refuse "this phone does not say which Android it has. Mount its system in recovery."
[ "$has_sdk" -ge "$sdk" ] 2>/dev/null || refuse "its data is of Android API level $sdk, and this phone has $has_sdk."
free=$(free_kib)
[ "$free" -ge "$needed" ] 2>/dev/null || refuse "it needs $needed KiB of room on $data, and ${free:-not known how many} are free."

mkdir -p "$here/programs" || refuse "$here cannot be made."
: >"$log"
install_script >"$here/install.sh"
member carry/plan >"$here/apps.$$"
while read -r what number package code programs title; do
  [ "$what" = app ] && put_app "$number" "$package" "$code" "$programs" "$title" </dev/null
done <"$here/apps.$$"
while read -r what number level title; do
  [ "$what" = record ] && put_record "$number" "$level" "$title" </dev/null
done <"$here/apps.$$"
rm -f "$here/apps.$$"
chown -R 2000:2000 "$here" 2>/dev/null
where=$(ls -dZ "$data/local/tmp" 2>/dev/null)
for word in $where; do
  case $word in u:object_r:*) chcon -hR "$word" "$here" 2>/dev/null ;; esac
done
say "$placed put back, $waiting waiting for their programs, $failed not put back."
if [ $waiting -gt 0 ]; then
  say "Start the phone, run: adb shell sh $here/install.sh (it needs no root), then install this archive once more."
fi
[ $failed = 0 ]
leave $?
