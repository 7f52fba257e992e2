namespace Lodrik.Scenes;

/// <summary>Takes entities of a live scene down into a record.</summary>
internal static class SceneTaking
{
    /// <summary>Takes an entity with all that its kind says of it, whatever a save would leave out.</summary>
    /// <exception cref="SceneException">It belongs or refers to something that is not in the scene.</exception>
    public static void TakeWhole<TScene>(LiveEntity<TScene> entity, LiveSet<TScene> live, SceneRecord record)
    {
        record.Add(new EntityRecord(entity.Id, entity.Kind.Kind, live.ParentOf(entity)));
        entity.Kind.TakeParts(entity, record, authored: null);
        TakeReferences(entity, live, record, null);
    }

    /// <summary>Takes what an entity refers to; what was kept of it because it led nowhere goes in again.</summary>
    public static void TakeReferences<TScene>(LiveEntity<TScene> entity, LiveSet<TScene> live, SceneRecord record, KeptState? kept)
    {
        if (!entity.Kind.HasReferences)
            return;
        foreach (var (name, isSingle, references) in entity.Kind.TakeReferences(entity.Object, live))
        {
            var taken = kept?.WithLost(entity.Id, name, isSingle, references, live) ?? references;
            if (taken.Count > 0)
                ReferenceColumns.Add(
                    record.Column(entity.Kind.Kind, name, () => entity.Kind.MakeReferenceColumn(name)), record.Entities.Count - 1, taken);
        }
    }
}
