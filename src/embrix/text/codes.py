"""Every code that a diagnostic may bear, with what it means.

Codes stay: scripts and notes refer to them. `embrix explain CODE` prints these texts.
"""

from __future__ import annotations

CODES: dict[str, str] = {
    "lost_stop": "The step that a stop of a lesson describes does not occur in the run, or not as "
    "often as it says. The nearest step is named.",
    "wrong_answer": "An answer of a lesson is not what the run gives.",
    "ambiguous_grammar": "A sentence has more than one tree; programs that hold it are refused.",
    "bad_pattern": "A token pattern cannot be read. Patterns know characters, classes in [ ], "
    "groups, | and the repetitions * + ? {m,n}; no anchors and no look-around.",
    "bad_suite": "A suite cannot be read: the TOML is wrong, an entry has a wrong type, or a case "
    "states no expectation or two that exclude each other.",
    "bad_lesson": "A lesson cannot be read: the TOML is wrong, an entry has a wrong type, or a "
    "program of it is refused.",
    "bad_letter": "What is written for a variable in rules is one sign, or a few without a space.",
    "bad_toml": "The file is not TOML.",
    "declared_twice": "The same name is declared twice where one declaration is meant.",
    "dropped_part": "A rule reads something that reaches no field of the form it makes.",
    "empty_file": "The file has no definition in it.",
    "empty_repetition": "What is repeated can be empty, so a repetition of it has no end.",
    "endless_rule": "A rule derives no finite text: every alternative uses the rule itself again.",
    "empty_token": "A token pattern or literal matches the empty text; reading would stand still.",
    "grammar_conflict": "One token of lookahead does not tell how to go on; the grammar is parsed "
    "by the general, slower parser. It may still be unambiguous.",
    "hidden_token": "Every text that a token matches is taken by another one.",
    "law_fails": "A law does not hold: an example was found on which it is false.",
    "makes_nothing": "An alternative makes no form and has no single part to hand on.",
    "outside_link": "A link among the files of a course leads out of its folder. What it leads to "
    "is not read, so that nothing from elsewhere gets into handouts and starters.",
    "too_many_files": "Some files of the folder are not read; a course belongs in a folder of its "
    "own.",
    "missing_clause": "A function has no clause for some terms; a run that meets one is stuck.",
    "partial_let": "A `let` without `else` has a pattern that does not match every value of its "
    "type; a run that meets another one is stuck there. Add `else`, or answer with `deliberately` "
    "where it cannot happen.",
    "missing_field": "An alternative makes a form without filling all its fields.",
    "missing_operand": "An operator table does not say what its operands are.",
    "missing_part": "A definition lacks a part that it needs.",
    "no_file": "What bears the name of a definition or suite is no file: a pipe, a device, a link "
    "to nothing.",
    "no_relation": "A small-step relation is needed here: a `define … by` with `final` lines.",
    "not_replaced": "A rule or table of the base is declared a second time: put `...` "
    "where the base's rows come in, or write `replace` before it.",
    "nothing_taken_over": "`...` or `replace` refers to something that the base does not have.",
    "base_broken": "What is extended has errors, so what extends it cannot be checked.",
    "not_a_function": "Only functions can be called.",
    "swapped_fields": "A pattern variable bears the name of another field of the same form.",
    "tab_indent": "Indentation is made of spaces.",
    "type_mismatch": "A value of one type stands where another is expected.",
    "unbuilt_form": "No rule of the grammar makes this form, so no program holds it.",
    "unfinished": "Something is still to be written.",
    "other_habit": "This is how other languages write it; the repair says how it is written here.",
    "unknown_character": "A character that means nothing in Brix outside texts and patterns.",
    "unknown_constructor": "No form or constructor of this name is declared.",
    "unknown_error": "No error of this name is declared.",
    "unknown_escape": "A backslash is followed by a character that makes no escape.",
    "unknown_field": "A form has no field of this name.",
    "unknown_interpreter": "The language has no interpreter of this name.",
    "unknown_language": "The course has no language of this name.",
    "unknown_mode": "No tokens are declared in a mode of this name.",
    "unknown_name": "Nothing of this name is known in this place.",
    "unknown_rule": "The grammar has no rule or token of this name.",
    "unknown_type": "No type or sort of this name is known.",
    "unknown_word": "A declaration or entry that is not known in this place.",
    "unreachable_clause": "Earlier clauses match everything that this one matches.",
    "unreadable": "The text does not fit the notation in this place.",
    "unreadable_file": "The file cannot be read as UTF-8 text.",
    "unused_rule": "No rule refers to this one, and no program starts with it.",
    "wrong_number": "More or fewer arguments, fields or patterns than declared.",
    "wrong_place": "Something stands where it cannot be used.",
    "needless_answer": "`deliberately` answers a warning that is not there.",
    "hides_base": "A clause of `extend` hides one of the base; `replace` says that this is meant.",
    "wrong_row": "The row of an operator does not fit its kind: operands and signs are misplaced.",
    "wrong_pattern": "A pattern of this kind is not possible in this place.",
    "outdated_store": "A store is used again after a call has given a newer one: what that call "
    "changed is lost. Use the store that the call gives back, perhaps under the same name.",
    "evaluated_twice": "The same part of a program is evaluated twice on one way through a clause: "
    "what it writes or changes happens twice, and its costs double. Name the result by a `let`.",
    "scope_without_binding": "A part in which a name is bound is evaluated in an environment that "
    "lacks the name. Extend the environment by the name.",
    "bound_too_early": "A part that stands outside the scope of a name is evaluated in an "
    "environment that has it. Evaluate it in the environment around.",
    "frame_too_early": "The environment that is kept with the body of a function has a frame for "
    "its parameter already: it is made where the function is written, not where it is called.",
    "callers_environment": "Code that was taken out of a value is evaluated in the environment of "
    "whoever calls, where the value keeps the one of its definition: dynamic scope.",
    "code_without_environment": "A value keeps code, but not the environment in which the names of "
    "the code mean something. Add a field for it.",
    "unforced": "What is looked up is given as a value although it may still be suspended. Match "
    "it and evaluate what waits.",
    "under_same_binder": "A function that walks over terms for a name goes on under a binder that "
    "may bind the same name: there the name means something else.",
    "against_order": "The parts of one form are evaluated in another order than those of all other "
    "forms. Reorder the lines, or say that it is meant.",
    "unused_mode": "No token enters a mode of tokens, or none leaves it.",
    "unused_name": "A name is bound and never used. Write `_` where that is meant; otherwise "
    "something is forgotten: an extended environment, a store, a part of the program.",
    "no_such_number": "A number that the language's kind of numbers does not have.",
    "drops_remainder": "`/` on whole numbers drops what is over. Write `div` to say so.",
}
