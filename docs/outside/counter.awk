# Sums of whole numbers in Drip, in awk: an example of an interpreter outside.
# The program is a file; everything but sums and differences is refused.
{
  sub(/#.*/, "")
  text = text " " $0
}

END {
  gsub(/[ \t]+/, "", text)
  if (text !~ /^[0-9]+([-+][0-9]+)*$/) {
    print "cannot be read: only sums" > "/dev/stderr"
    exit 1
  }
  total = 0
  sign = 1
  while (match(text, /^[0-9]+/)) {
    total += sign * substr(text, 1, RLENGTH)
    sign = substr(text, RLENGTH + 1, 1) == "-" ? -1 : 1
    text = substr(text, RLENGTH + 2)
  }
  print total
}
