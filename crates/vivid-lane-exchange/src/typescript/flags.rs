//! What a table has, as constants: a bundler leaves out the code for what it has not.

use vivid_lane::Table;
use vivid_lane::declare::Case;
use vivid_lane::lookup::{Export, ExportedRule, ParamKind, Test};

/// Writes the constants.
pub(super) fn write(table: &Table, export: &Export) -> String {
    let has_test = |is_it: fn(&Test) -> bool| export.rules.iter().any(|rule| rule.tests.iter().any(is_it));
    let of_hosts = export.routes.iter().filter_map(|route| route.host.as_ref());
    let of_hosts =
        of_hosts.map(|host| host.pieces.iter().map(|piece| piece.as_ref().err().map(|(rule, _)| *rule)).collect());
    let of_paths =
        export.patterns.iter().map(|pattern| pattern.iter().map(|piece| piece.as_ref().err().copied()).collect());
    let patterns: Vec<Vec<Option<usize>>> = of_hosts.chain(of_paths).collect();
    let rule = |index: &usize| -> &ExportedRule { &export.rules[*index] };
    // One value, alone or with one text beside it, is found by that text.
    let is_cut = |pieces: &&Vec<Option<usize>>| pieces.len() > 2 || pieces.iter().flatten().count() > 1;
    let needs_automaton =
        |pieces: &Vec<Option<usize>>| pieces.iter().flatten().any(|index| rule(index).automaton.is_some());
    let is_joined = |param: &vivid_lane::lookup::ExportedParam| rule(&param.texts).join.is_some();
    let has_fork = export.nodes.iter().any(|node| !node.is_ordered || node.leaves.len() > 1);
    let flags = [
        ("HOSTS", table.has_hosts()),
        ("JOINS", export.routes.iter().flat_map(|route| &route.params).any(is_joined)),
        ("CUTS", patterns.iter().filter(is_cut).any(needs_automaton)),
        ("TAILS", export.leaves.iter().filter_map(|leaf| leaf.tail).any(|tail| tail.is_one_value)),
        (
            "PAIRS_OF_QUERY",
            table.routes().any(|route| route.parameters().any(|param| param.kind() == ParamKind::Pairs)),
        ),
        ("MULTIPLES", has_test(|test| matches!(test, Test::MultipleOf(_)))),
        ("LENGTHS", has_test(|test| matches!(test, Test::MinLength(_) | Test::MaxLength(_)))),
        ("FOLDS", export.case == Case::Fold),
        ("IN_FRAGMENT", table.is_in_fragment()),
        ("SEVERAL", has_fork),
    ];
    let lines = flags.map(|(name, value)| format!("const {name}: boolean = {value};\n"));
    format!("// What the table has; bundlers leave out the code for what it has not.\n{}", lines.concat())
}
